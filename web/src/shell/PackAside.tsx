import { placesOf, STAGE_FACTS, STAGES, type Stage, type StageFacts } from '@cellmend/core/route';
import { PanelRightClose, PanelRightOpen } from 'lucide-react';
import { Suspense, useMemo, useState } from 'react';
import { Button as AriaButton, ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import styled from 'styled-components';
import { decisionOf, leakOf, spreadOf, useInsulation, useSafety } from '../api/hooks';
import { useBench } from '../stages/bench/useBench';
import { useRunsNow } from '../stages/bench/useSupervised';
import {
  benchLayer,
  capacityLayer,
  deviationLayer,
  exposureLayer,
  insulationLayer,
  reachLayer,
  removalLayer,
  seenLayer,
} from '../pack-map/layers';
import { ModuleSheet } from '../pack-map/ModuleSheet';
import { PackMap } from '../pack-map/PackMap';
import { Mute } from '../ui/parts';
import { percent } from '../ui/words';
import { useMapDrops } from './dropOnMap';
import { useJobView } from './jobContext';
import { lazily } from './lazily';
import { usePlan, useTargets } from '../stages/strip-down/usePlan';
import { mapShown } from './preferences';
import { useReachShown } from '../stages/insulation/reachShown';

const Aside = styled.aside`
  border-left: 1px solid var(--line);
  background: var(--rail);
  padding: 12px 16px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  overflow: auto;
  @media (max-width: 1000px) {
    border-left: 0;
    border-top: 1px solid var(--line);
  }
  @media print {
    display: none;
  }
  header {
    display: flex;
    align-items: center;
    gap: 8px;
  }
  header span {
    margin-left: auto;
    color: var(--mute);
    font-size: var(--t-s);
  }
`;
const Under = styled.div`
  position: relative;
  @media (max-width: 1000px) {
    max-width: 420px;
  }
`;
const DropPlaces = lazily<
  Parameters<(typeof import('../pack-map/DropPlaces'))['DropPlaces']>[0],
  typeof import('../pack-map/DropPlaces')
>(() => import('../pack-map/DropPlaces'), 'DropPlaces');
const Fold = styled(AriaButton)`
  background: none;
  border: 0;
  color: var(--mute);
  width: 32px;
  min-height: 32px;
  cursor: pointer;
  border-radius: 6px;
  display: grid;
  place-items: center;
`;
const Layers = styled(ToggleButtonGroup)`
  display: flex;
  gap: 3px;
  flex-wrap: wrap;
  button {
    border: 0;
    padding: 5px 6px;
    min-height: 32px;
    border-radius: 5px;
    background: var(--chip);
    font-size: var(--t-xs);
    cursor: pointer;
    color: var(--ink);
  }
  button[data-selected] {
    background: var(--ink);
    color: var(--sheet);
  }
`;
const Legend = styled.div`
  display: flex;
  align-items: center;
  gap: 8px;
  color: var(--mute);
  font-size: var(--t-xs);
  i {
    flex: 1;
    height: 8px;
    border-radius: 2px;
    background: linear-gradient(90deg, var(--low), var(--zero), var(--high));
  }
`;

const isStage = (here: string): here is Stage => (STAGES as readonly string[]).includes(here);

/** The pack beside every stage: its map with a layer laid over it, and the module that is picked. */
export function PackAside({ here }: { here: string }) {
  const { job, pack, findings, selected, select } = useJobView();
  const [chosen, setChosen] = useState<{ stage: string; layer: string } | null>(null);
  const { data: safety } = useSafety(job.number);
  const [shown, setShown] = mapShown.use();
  const facts: Partial<StageFacts> = isStage(here) ? STAGE_FACTS[here] : {};
  const after = facts.after ? spreadOf(findings, 'after') : null;
  const report = (after ?? spreadOf(findings, 'before'))?.report ?? null;
  const repaired = after !== null;
  // Each stage lays its own layer on the map until somebody picks another.
  const usual = facts.layer ?? (report?.nearFull && !report.nearEmpty ? 'near-full' : 'near-empty');
  const layerId = chosen?.stage === here ? chosen.layer : usual;
  const { targets } = useTargets();
  const list = decisionOf(job, 'measures')?.body.measures;
  const modules = useMemo(() => list && placesOf(list, 'replace-module'), [list]);
  // Where the pack is looked at as it comes apart.
  const looked = facts.layer === 'removal' || facts.layer === 'insulation';
  const { data: seen } = useInsulation(looked ? job.number : null);
  const { data: bench } = useBench(facts.layer === 'bench' ? job.number : null);
  const { data: now } = useRunsNow(facts.layer === 'bench' ? job.number : null);
  const { plan } = usePlan(layerId === 'removal' ? targets : []);
  const drops = useMapDrops();
  const reach = useReachShown();
  const layer = useMemo(() => {
    if (layerId === 'exposure') return exposureLayer(pack, safety);
    if (layerId === 'removal') return removalLayer(pack, plan);
    if (layerId === 'seen') return seenLayer(pack, seen ?? [], leakOf(findings)?.report.entry ?? '');
    if (layerId === 'bench') return benchLayer(pack, bench?.runs ?? [], now ?? []);
    if (layerId === 'insulation' && reach) return reachLayer(pack, reach, safety?.linksOut ?? []);
    if (layerId === 'insulation') return insulationLayer(leakOf(findings)?.report ?? null);
    const replaced = repaired ? (modules ?? []) : [];
    if (layerId === 'capacity') return capacityLayer(pack, report, replaced);
    const end = layerId === 'near-full' ? report?.nearFull : report?.nearEmpty;
    return deviationLayer(
      pack,
      end ?? null,
      report,
      replaced,
      end
        ? `at ${percent(end.medianSocFraction)} charge`
        : `no rest ${layerId === 'near-full' ? 'near full' : 'near empty'}`,
    );
  }, [layerId, pack, safety, findings, report, modules, repaired, plan, bench, now, seen, reach]);
  const open = shown === 'yes';
  const height = (selected === null ? 570 : 430) - (layer.note ? 70 : 0);
  return (
    <Aside aria-label="Pack">
      {open ? (
        <>
          <header>
            <h2>Pack map</h2>
            <span>front ↑ · {layer.caption}</span>
            <Fold aria-label="Fold the pack map away" onPress={() => setShown('no')}>
              <PanelRightClose size={18} />
            </Fold>
          </header>
          <Layers
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[layerId]}
            onSelectionChange={(k) => setChosen({ stage: here, layer: String([...k][0]) })}
            aria-label="Layer"
          >
            <ToggleButton id="near-full">Near full</ToggleButton>
            <ToggleButton id="near-empty">Near empty</ToggleButton>
            <ToggleButton id="capacity">Capacity</ToggleButton>
            <ToggleButton id="insulation">Insulation</ToggleButton>
            <ToggleButton id="exposure">Exposure</ToggleButton>
            {facts.layer === 'removal' && <ToggleButton id="removal">Removal</ToggleButton>}
            {looked && <ToggleButton id="seen">Seen</ToggleButton>}
            {facts.layer === 'bench' && <ToggleButton id="bench">Bench</ToggleButton>}
          </Layers>
          <Under>
            <PackMap pack={pack} layer={layer} selected={selected} onSelect={select} height={height} />
            {drops && (
              <Suspense>
                <DropPlaces pack={pack} height={height} drops={drops} />
              </Suspense>
            )}
          </Under>
          {layer.legend && (
            <Legend>
              <span>{layer.legend.low}</span>
              <i />
              <span>{layer.legend.high}</span>
            </Legend>
          )}
          {layer.note && (
            <div>
              <b>{layer.note.title}</b>
              <br />
              <Mute>{layer.note.text}</Mute>
            </div>
          )}
          {selected !== null && (
            <ModuleSheet module={pack.modules[selected]!} report={report} onClose={() => select(null)} />
          )}
        </>
      ) : (
        <Fold aria-label="Show the pack map" onPress={() => setShown('yes')}>
          <PanelRightOpen size={20} />
        </Fold>
      )}
    </Aside>
  );
}
