import type { Pack } from '@cellmend/core/pack';
import styled from 'styled-components';
import { coversOf } from '../pack-map/layers';
import { PackMap } from '../pack-map/PackMap';
import type { Layer } from '../pack-map/view';
import { Mute, Sheet } from '../ui/parts';

const Side = styled.aside`
  border-left: 1px solid var(--line);
  background: var(--rail);
  padding: 16px;
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: 8px;
`;
const EMPTY: Layer = {
  id: 'places',
  name: 'Places',
  caption: '',
  groups: new Map(),
  modules: new Map(),
  legend: null,
};

/** The pack as it is being described: what lies where, what lies over it, and the channels of a module that is picked. */
export function PackSide({
  pack,
  fullV,
  selected,
  onSelect,
}: {
  /** Null while it cannot be drawn. */
  pack: Pack | null;
  fullV: number;
  selected: number | null;
  onSelect: (module: number) => void;
}) {
  return (
    <Side aria-label="Pack">
      <h2>Pack map</h2>
      {pack && (
        <Mute>
          {pack.groups.length} groups, {pack.modules.length} modules, {pack.channels.length} channels, about{' '}
          {fullV.toFixed(0)} V
        </Mute>
      )}
      {pack && (
        <PackMap
          pack={pack}
          layer={{ ...EMPTY, covers: coversOf(pack) }}
          selected={selected}
          onSelect={onSelect}
        />
      )}
      {pack && coversOf(pack).length > 0 && (
        <Mute>
          Lines around modules:{' '}
          {coversOf(pack)
            .map((c) => c.name)
            .join(' · ')}
        </Mute>
      )}
      {pack && selected !== null && pack.modules[selected] && (
        <Sheet>
          <b>{pack.modules[selected].id}</b>
          <p>
            {pack.modules[selected].channelIndices
              .map((c) => pack.channels[c]!)
              .map((c) => (c.reportedAs ? `${c.id} (scans: ${c.reportedAs})` : c.id))
              .join(', ')}
          </p>
        </Sheet>
      )}
    </Side>
  );
}
