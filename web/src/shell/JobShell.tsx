import { PHASES, type Stage } from '@cellmend/contract/jobs';
import type { Person } from '@cellmend/contract/people';
import { GATED_STAGES } from '@cellmend/contract/safety';
import { normalisePack } from '@cellmend/core/pack';
import { PanelRightClose, PanelRightOpen } from 'lucide-react';
import { useMemo, useState } from 'react';
import { Button as AriaButton, ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import { Navigate, NavLink, useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import {
  decisionOf,
  leakOf,
  spreadOf,
  useFindings,
  useJob,
  useRefresh,
  useSafety,
  useSession,
} from '../api/hooks';
import { ApiProblem } from '../api/client';
import { capacityLayer, deviationLayer, exposureLayer, insulationLayer } from '../pack-map/layers';
import { PackMap } from '../pack-map/PackMap';
import { ModuleSheet } from '../pack-map/ModuleSheet';
import { STAGE_VIEWS } from '../stages';
import { BuyersCheck } from '../stages/findings/BuyersCheck';
import { Footer, USUAL, useJotRef } from './Footer';
import { KeyHelp, useKeys } from './keys';
import { Timeline } from './Timeline';
import { Walk } from './Walk';
import { Mute, Page, ProblemNote } from '../ui/parts';
import { percent } from '../ui/words';
import { Account, Bar, Brand, Right, SafetyLamp, Stop, Vehicle } from './Header';
import { StopDialog } from './StopDialog';
import { Closed } from './Closed';
import { JobContext, type JobView } from './jobContext';
import { mapShown } from './preferences';

const Grid = styled.div<{ $map: boolean }>`
  display: grid;
  height: 100%;
  grid-template: 56px minmax(0, 1fr) 52px / 196px minmax(0, 1fr) ${(p) => (p.$map ? '372px' : '56px')};
  @media (max-width: 1000px) {
    grid-template: 56px auto auto auto 52px / 1fr;
    height: auto;
  }
  @media print {
    display: block;
    height: auto;
  }
`;
const Rail = styled.nav`
  padding: 14px 0 14px 14px;
  border-right: 1px solid var(--line);
  background: var(--rail);
  overflow: auto;
  h3 {
    margin: 10px 0 4px;
    font-size: 13px;
    color: var(--mute);
    font-weight: 600;
  }
  > div:first-child h3 {
    margin-top: 0;
  }
  a {
    display: flex;
    align-items: center;
    gap: 9px;
    padding: 6px 8px;
    border-radius: 6px 0 0 6px;
    color: var(--ink);
    text-decoration: none;
    min-height: 36px;
  }
  a.active {
    background: var(--sheet);
    font-weight: 700;
    box-shadow: inset 3px 0 0 var(--mat-text);
  }
  small {
    margin-left: auto;
    color: var(--mute);
    font-size: 12px;
    white-space: nowrap;
  }
  @media print {
    display: none;
  }
`;
const Mark = styled.i<{ $state: string }>`
  width: 14px;
  height: 14px;
  flex: none;
  border: 2px solid var(--mute);
  border-radius: 3px;
  ${(p) => p.$state === 'nothing' && 'border-style: dotted;'}
  ${(p) => p.$state === 'done' && 'background: var(--mat-text); border-color: var(--mat-text);'}
  ${(p) => p.$state === 'work' && 'border-color: var(--mat-text); background: linear-gradient(90deg, var(--mat-text) 50%, transparent 50%);'}
  ${(p) => p.$state === 'blocked' && 'border-style: dashed;'}
  ${(p) => p.$state === 'gate' && 'border-style: dashed; border-color: var(--hot);'}
  ${(p) => p.$state === 'reopened' && 'border-color: var(--sus); background: linear-gradient(135deg, var(--sus) 50%, transparent 50%);'}
`;
const Middle = styled.main`
  overflow: auto;
  min-width: 0;
  @media print {
    overflow: visible;
  }
`;
const Aside = styled.aside`
  border-left: 1px solid var(--line);
  background: var(--rail);
  padding: 12px 16px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  overflow: auto;
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
    font-size: 13.5px;
  }
`;
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
    font-size: 12.5px;
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
  font-size: 12.5px;
  i {
    flex: 1;
    height: 8px;
    border-radius: 2px;
    background: linear-gradient(90deg, var(--low), var(--zero), var(--high));
  }
`;

const WORDS: Record<string, string> = {
  nothing: 'nothing yet',
  work: 'in work',
  blocked: 'blocked',
  done: 'done',
  reopened: 'reopened',
};

/** The job: route on the left, the stage at hand, the pack on the right. */
export function JobShell({ person }: { person: Person }) {
  const params = useParams();
  const number = Number(params.number);
  const { data: job, error } = useJob(number);
  const { data: findings } = useFindings(number);
  const refresh = useRefresh(number);
  const demo = useSession().data?.demo ?? false;
  const [selected, select] = useState<number | null>(null);
  const [chosen, setChosen] = useState<{ stage: string; layer: string } | null>(null);
  const { data: safety } = useSafety(number);
  const [shown, setShown] = mapShown.use();
  const pack = useMemo(() => job && normalisePack(job.pack), [job]);
  const [dialog, setDialog] = useState<'walk' | 'keys' | 'stop' | null>(null);
  const jotRef = useJotRef();
  const navigate = useNavigate();
  useKeys({
    jot: () => jotRef.current?.focus(),
    walk: () => person.mayWrite && setDialog('walk'),
    help: () => setDialog('keys'),
    stop: () => setDialog('stop'),
    stage: (id) => void navigate(`/jobs/${number}/${id}`),
    step: (by) => {
      if (!pack) return;
      const order = [...pack.modules]
        .sort(
          (a, b) =>
            a.place.tier - b.place.tier || a.place.column - b.place.column || a.place.row - b.place.row,
        )
        .map((m) => m.index);
      const at = selected === null ? (by > 0 ? -1 : 0) : order.indexOf(selected);
      select(order[(at + by + order.length) % order.length]!);
    },
  });
  if (error instanceof ApiProblem && error.problem.status === 404) {
    return (
      <Page>
        <h1>There is no job {params.number}</h1>
        <ProblemNote what={error.message} accepted="A job from the board." />
        <NavLink to="/">Back to the board</NavLink>
      </Page>
    );
  }
  if (!job || !pack || !findings) return <Page aria-busy="true" />;
  const stages = PHASES.flatMap((p) => p.stages);
  const stage = stages.find((s) => s.id === params.stage);
  const timeline = params.stage === 'timeline';
  const buyer = params.stage === 'buyers-check';
  if (!stage && !timeline && !buyer) return <Navigate to={`/jobs/${number}/scan`} replace />;
  const after = spreadOf(findings, 'after');
  const spread =
    after && (stage?.id === 'prove' || stage?.id === 'hand-over') ? after : spreadOf(findings, 'before');
  const replaceDecision = decisionOf(job, 'replace');
  const replaced = spread === after && after ? (replaceDecision?.body.modules ?? []) : [];
  const report = spread?.report ?? null;
  const here = params.stage ?? '';
  // Each stage lays its own layer on the map until somebody picks another.
  const usual = here === 'make-safe' ? 'exposure' : here === 'insulation' ? 'insulation' : 'near-empty';
  const layerId = chosen?.stage === here ? chosen.layer : usual;
  const gated = stage && (GATED_STAGES as readonly string[]).includes(stage.id) && !job.gate.holds;
  const end = layerId === 'near-full' ? report?.nearFull : (report?.nearEmpty ?? report?.nearFull);
  const layer =
    layerId === 'exposure'
      ? exposureLayer(pack, safety)
      : layerId === 'insulation'
        ? insulationLayer(leakOf(findings)?.report ?? null)
        : layerId === 'capacity'
          ? capacityLayer(pack, report, replaced)
          : deviationLayer(
              pack,
              end ?? null,
              report,
              replaced,
              end ? `at ${percent(end.medianSocFraction)} charge` : '',
            );
  const view: JobView = { job, pack, findings, person, demo, selected, select, refresh };
  const open = shown === 'yes';
  return (
    <JobContext value={view}>
      <Grid $map={open}>
        <Bar>
          <Brand to="/">Bold Cellmend</Brand>
          <Vehicle>
            Job {job.number} · {job.title} · {pack.groups.length} groups, {pack.modules.length} modules,{' '}
            {job.pack.chemistry === 'nimh' ? 'NiMH' : job.pack.chemistry.toUpperCase()}
          </Vehicle>
          <Right>
            <SafetyLamp gate={job.gate} />
            <Stop onPress={() => setDialog('stop')} />
            <Account person={person} />
          </Right>
        </Bar>
        <Rail aria-label="Route">
          {PHASES.map((phase) => (
            <div key={phase.name}>
              <h3>{phase.name}</h3>
              {phase.stages.map((s) => {
                const state = job.route[s.id];
                return (
                  <NavLink key={s.id} to={`/jobs/${number}/${s.id}`}>
                    <Mark
                      $state={state.note === 'gate' ? 'gate' : state.state}
                      role="img"
                      aria-label={WORDS[state.state]}
                    />
                    {s.name}
                    {state.note && <small>{state.note}</small>}
                  </NavLink>
                );
              })}
            </div>
          ))}
          <h3>Record</h3>
          {decisionOf(job, 'intake')?.body.aim === 'buy' && (
            <NavLink to={`/jobs/${number}/buyers-check`}>Buyer’s check</NavLink>
          )}
          <NavLink to={`/jobs/${number}/timeline`}>Timeline</NavLink>
        </Rail>
        <Middle id="stage">
          {gated ? (
            <Closed question={stage.question} name={stage.name} />
          ) : stage ? (
            <StageView key={stage.id} id={stage.id} question={stage.question} />
          ) : buyer ? (
            <BuyersCheck />
          ) : (
            <Timeline />
          )}
        </Middle>
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
              </Layers>
              <PackMap
                pack={pack}
                layer={layer}
                selected={selected}
                onSelect={select}
                height={(selected === null ? 570 : 430) - (layer.note ? 70 : 0)}
              />
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
        <Footer
          stage={stage?.id ?? 'intake'}
          jotRef={jotRef}
          onWalk={() => setDialog('walk')}
          onKeys={() => setDialog('keys')}
        />
        {dialog === 'walk' && (
          <Walk
            stage={stage?.id ?? 'bench'}
            usual={USUAL[stage?.id ?? 'bench'] ?? 'voltage'}
            onClose={() => setDialog(null)}
          />
        )}
        {dialog === 'stop' && <StopDialog onClose={() => setDialog(null)} />}
        {dialog === 'keys' && <KeyHelp onClose={() => setDialog(null)} />}
      </Grid>
    </JobContext>
  );
}

function StageView({ id, question }: { id: Stage; question: string }) {
  const View = STAGE_VIEWS[id];
  return <View question={question} stage={id} />;
}
