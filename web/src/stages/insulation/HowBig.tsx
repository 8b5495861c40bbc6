import {
  UNBOUNDED_OHM,
  type InsulationReport,
  type Interval,
  type LimitVoltage,
} from '@cellmend/core/insulation';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { Chips } from '../../ui/Chips';
import { Columns, Mute, ProblemNote, Sheet, Stack } from '../../ui/parts';
import { fixed, ohms } from '../../ui/words';
import { useAdd } from './useAdd';

const Table = styled.table`
  border-collapse: collapse;
  td {
    padding: 7px 16px 7px 0;
    vertical-align: baseline;
  }
  td:last-child {
    padding-right: 0;
    font-size: var(--t-s);
  }
`;

const Where = styled.span`
  display: block;
  font-size: var(--t-s);
  color: var(--mute);
`;
const WHERE = { leak: 'the leak is here', pass: 'not here', doubtful: 'cannot be told' };

const range = ({ low, high }: Interval): string =>
  high >= UNBOUNDED_OHM ? `${ohms(low)} or more` : `${ohms(low)} to ${ohms(high)}`;

const VOLTAGES: { by: LimitVoltage; name: string }[] = [
  { by: 'working', name: 'Working voltage' },
  { by: 'measured', name: 'Measured voltage' },
];

/** The leak's size by everything that measured it, and the limit it is held against. */
export function HowBig({ leak }: { leak: InsulationReport }) {
  const { person } = useJobView();
  const { add, busy, problem } = useAdd();
  if (!leak.sizes) return null;
  const { size, sources, agree } = leak.sizes;
  const { judged, judgedElse } = leak;
  return (
    <Sheet>
      <Columns $of="1fr 1fr">
        <Stack>
          <h3>{agree ? `The leak itself: ${range(size)}` : 'The sources do not agree'}</h3>
          <Table>
            <tbody>
              {sources.map((s) => (
                <tr key={s.from}>
                  <td>By {s.from}</td>
                  <td className="n">{range(s.size)}</td>
                </tr>
              ))}
              {leak.parts.map((p) => (
                <tr key={p.label}>
                  <td>Ends of {p.label}</td>
                  <td>
                    <span className="n">{range(p.location.equivalentOhm)}</span>
                    <Where>{WHERE[p.outcome]}</Where>
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
          {!agree && (
            <Mute>
              No one resistance fits them: another leak, another moment, or a wrong figure. Measure again.
            </Mute>
          )}
        </Stack>
        {judged && judgedElse && (
          <Stack>
            <h3>Limit, by which voltage</h3>
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[judged.by]}
              onSelectionChange={(k) => {
                const by = [...k][0] as LimitVoltage;
                if (by !== judged.by) void add({ observation: { kind: 'limit-voltage', by } });
              }}
              isDisabled={busy || !person.mayWrite}
              aria-label="Voltage the limit is taken by"
            >
              {VOLTAGES.map(({ by, name }) => (
                <ToggleButton key={by} id={by}>
                  {name}, {fixed((judged.by === by ? judged : judgedElse).voltageV, 0)} V
                </ToggleButton>
              ))}
            </Chips>
            <p>
              At least {ohms(judged.leastOhm)}: {LIMIT_WORDS[judged.verdict]}
            </p>
            <Mute>
              By the other voltage {ohms(judgedElse.leastOhm)}: {LIMIT_WORDS[judgedElse.verdict]}{' '}
              {judged.rule}.
            </Mute>
            {problem && <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />}
          </Stack>
        )}
      </Columns>
    </Sheet>
  );
}
const LIMIT_WORDS = { within: 'met.', below: 'not met.', uncertain: 'cannot be told from these readings.' };
