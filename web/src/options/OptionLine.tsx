import type { NewQuote } from '@cellmend/contract/quotes';
import type { OptionsAnswer } from '@cellmend/core/cost';
import styled from 'styled-components';
import { Mute } from '../ui/parts';
import { distance } from '../ui/units';
import { oneIn, whole } from './words';

const Line = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) minmax(0, 1.5fr) 92px 86px 78px;
  gap: 14px;
  align-items: center;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 10px 14px;
  .r {
    text-align: right;
  }
  @media (max-width: 640px) {
    grid-template-columns: 1fr 1fr;
  }
`;
const Track = styled.div`
  position: relative;
  height: 22px;
  &::before {
    content: '';
    position: absolute;
    left: 0;
    right: 0;
    top: 10px;
    height: 2px;
    background: var(--line);
  }
  i {
    position: absolute;
    top: 4px;
    height: 14px;
    border-radius: 3px;
    background: var(--mat-text);
    opacity: 0.4;
  }
  b {
    position: absolute;
    top: 0;
    width: 4px;
    height: 22px;
    background: var(--mat-text);
  }
`;

/** One option: what it costs a year as a middle and a likely span, all on one scale. */
export function OptionLine({
  option: o,
  found: r,
  most,
}: {
  option: NewQuote['options'][number];
  /** Left out where nothing is paid now. */
  found: OptionsAnswer['options'][number] | undefined;
  /** End of the scale. */
  most: number;
}) {
  return (
    <Line>
      <span>
        <b>{o.name}</b>
        <br />
        <Mute>{o.says}</Mute>
      </span>
      {r ? (
        <Track
          role="img"
          aria-label={`Likely ${whole(r.costPerYear.p10)} to ${whole(r.costPerYear.p90)} a year`}
        >
          <i
            style={{
              left: `${(r.costPerYear.p10 / most) * 96}%`,
              width: `${Math.max(1, ((r.costPerYear.p90 - r.costPerYear.p10) / most) * 96)}%`,
            }}
          />
          <b style={{ left: `${(r.costPerYear.p50 / most) * 96}%` }} />
        </Track>
      ) : (
        <Mute>nothing now</Mute>
      )}
      <span className="r n">
        <b>{r ? whole(r.costPerYear.p50) : '–'}</b>
        <br />
        <Mute>a year</Mute>
      </span>
      <span className="r n">{o.rangeKm ? distance(o.rangeKm.likely) : '–'}</span>
      <span className="r n">
        {r ? oneIn(o.comebackProbability) : '–'}
        <br />
        <Mute>back</Mute>
      </span>
    </Line>
  );
}
