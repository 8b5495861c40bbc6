import {
  judgePreCharge,
  readBusTrace,
  thinTrace,
  type BusTrace,
  type PreChargeSeen,
} from '@cellmend/core/precharge';
import { InputProblem } from '@cellmend/core/pack';
import { useEffect, useMemo, useRef, useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import styled from 'styled-components';
import { ApiProblem, send } from '../../api/client';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { Field, Input, TextArea } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Stack } from '../../ui/parts';
import { useGateway } from '../scan/Gateway';

const MOST_KEPT = 3000;
const WATCH_S = 15;
const Lines = styled(TextArea).attrs({ className: 'n' })`
  min-height: 96px;
`;
const Says = styled.ul`
  margin: 0;
  padding-left: 18px;
  .bad {
    color: var(--bad);
    font-weight: 650;
  }
`;
const RECORD: Record<PreChargeSeen['state'], string> = {
  pass: 'Record: right',
  hold: 'Record: on the edge',
  fail: 'Record: not right',
  open: 'Record',
};

/** Volts as somebody typed them; null where nobody did, NaN where they are none. */
const volts = (text: string): number | null =>
  text.trim() === '' ? null : Number(text.trim().replace(',', '.').replace(/ *v$/i, ''));

/** What can be said of what is typed, or what of it cannot be read. */
function look(
  text: string,
  packV: number | null,
  profile: { preChargeOhm?: number | undefined; busCapacitanceF?: number | undefined },
): { trace: BusTrace; seen: PreChargeSeen } | { problem: InputProblem } | null {
  if (text.trim() === '') return null;
  try {
    if (packV !== null && !(packV > 0 && packV <= 2000))
      throw new InputProblem('pack', 'That is no voltage of a pack.', 'pack', 'Volts, such as 355.2.');
    const trace = thinTrace(readBusTrace(text), MOST_KEPT);
    const seen = judgePreCharge(trace, {
      packV,
      resistorOhm: profile.preChargeOhm ?? null,
      capacitanceF: profile.busCapacitanceF ?? null,
    });
    return { trace, seen };
  } catch (e) {
    if (e instanceof InputProblem) return { problem: e };
    throw e;
  }
}
const asText = ({ timeS, busV, packV }: BusTrace): string =>
  timeS.map((t, i) => [t, busV[i]!, ...(packV ? [packV[i]!] : [])].join(' ')).join('\n');

/** A file of a scope may be long: what is kept of it while it is looked at is what will be recorded. */
function thinText(text: string): string {
  try {
    return asText(thinTrace(readBusTrace(text), MOST_KEPT));
  } catch (e) {
    if (e instanceof InputProblem) return text.slice(0, 20_000);
    throw e;
  }
}

/** Pre-charge and contactors off the bus: watched live, from a logger’s file, or typed, a line for each reading. */
export function BusForm({ onDone }: { onDone: () => void }) {
  const { job, pack, demo } = useJobView();
  const [typed, setTyped, clear] = useDraft(`${job.number}.bus`, { text: '', packV: '' });
  const [live, setLive] = useState(false);
  const [left, setLeft] = useState<number | null>(null);
  const [problem, setProblem] = useState<{ what: string; accepted?: string | undefined } | null>(null);
  const gateway = useGateway();
  const write = useWrite();
  const watching = left !== null;
  // What is typed while the bus is watched stays: the trace is put beside what stands there then.
  const latest = useRef(typed);
  useEffect(() => {
    latest.current = typed;
  });
  const put = (text: string): void => setTyped({ ...latest.current, text });
  useEffect(() => {
    if (left === null || left <= 0) return;
    const timer = setTimeout(() => setLeft(left - 1), 1000);
    return () => clearTimeout(timer);
  }, [left]);
  const found = useMemo(
    () => look(typed.text, volts(typed.packV), pack.profile),
    [typed.text, typed.packV, pack.profile],
  );
  const seen = found && 'seen' in found ? found : null;
  const watch = async (source: object): Promise<void> => {
    setProblem(null);
    setLeft(WATCH_S);
    try {
      const trace = await send<BusTrace>('POST', `/jobs/${job.number}/bus-watch`, {
        source,
        seconds: WATCH_S,
      });
      put(asText(trace));
      setLive(false);
    } catch (e) {
      setProblem(
        e instanceof ApiProblem
          ? { what: e.message, accepted: e.problem.accepted }
          : { what: 'The server is away; the bus was not watched.' },
      );
    } finally {
      setLeft(null);
    }
  };
  const record = async (): Promise<void> => {
    const { trace, seen: says } = seen!;
    const bus = { ...trace, toldPackV: volts(typed.packV) };
    if (await write.run('/checks', { check: 'contactors', place: '', passed: says.state !== 'fail', bus })) {
      clear();
      onDone();
    }
  };
  return (
    <Stack $gap={10}>
      <Row style={{ flexWrap: 'wrap', alignItems: 'flex-end' }}>
        <Field style={{ flex: '0 1 150px' }}>
          Pack, metered, V
          <Input
            className="n"
            inputMode="decimal"
            value={typed.packV}
            onChange={(e) => setTyped({ ...typed, packV: e.target.value })}
          />
        </Field>
        <Button quiet aria-expanded={live} isDisabled={watching} onPress={() => setLive(!live)}>
          Watch it live
        </Button>
        <FileTrigger
          acceptedFileTypes={['.csv', '.txt', 'text/csv', 'text/plain']}
          onSelect={(files) => void files?.[0]?.text().then((text) => put(thinText(text)))}
        >
          <Button quiet>From a file</Button>
        </FileTrigger>
        {demo && (
          <Button quiet isDisabled={watching} onPress={() => void watch({ kind: 'demo' })}>
            Demo vehicle
          </Button>
        )}
      </Row>
      {live && (
        <>
          {gateway.fields}
          <Row>
            <Button isDisabled={watching || !gateway.source} onPress={() => void watch(gateway.source!)}>
              Watch for {WATCH_S} s
            </Button>
            <Mute>
              Begin it with the vehicle off; switch it ready, then off again. It is only asked, never told.
            </Mute>
          </Row>
        </>
      )}
      {watching && (
        <b role="status" className="n">
          Switch it ready now, then off again: {left} s
        </b>
      )}
      {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
      <Field>
        Bus as it came: seconds, volts, a line each
        <Lines
          value={typed.text}
          spellCheck={false}
          placeholder={'0 0\n0.05 210\n0.10 322\n0.20 358'}
          onChange={(e) => setTyped({ ...typed, text: e.target.value })}
        />
      </Field>
      {found && 'problem' in found && (
        <ProblemNote what={found.problem.what} accepted={found.problem.accepted} />
      )}
      {seen && (
        <>
          <Curve trace={seen.trace} seen={seen.seen} />
          <Says>
            {seen.seen.says.map((s, i) => (
              <li key={i} className={seen.seen.state === 'fail' && i === 0 ? 'bad' : undefined}>
                {s}
              </li>
            ))}
          </Says>
          {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
          <Row>
            <Button isDisabled={write.busy} onPress={() => void record()}>
              {RECORD[seen.seen.state]}
            </Button>
          </Row>
        </>
      )}
    </Stack>
  );
}

const MOST_DRAWN = 400;
function Curve({ trace, seen }: { trace: BusTrace; seen: PreChargeSeen }) {
  const { timeS, busV } = thinTrace(trace, MOST_DRAWN);
  const rows = timeS.map((t, i) => ({ t, v: busV[i]! }));
  return (
    <ResponsiveContainer width="100%" height={200}>
      <LineChart data={rows} margin={{ top: 8, right: 12, bottom: 2, left: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="t"
          type="number"
          domain={['dataMin', 'dataMax']}
          tickFormatter={(t: number) => `${Number(t.toFixed(2))} s`}
          stroke="var(--mute)"
          fontSize={12}
        />
        <YAxis
          domain={[0, Math.ceil((1.08 * seen.packV) / 50) * 50]}
          width={58}
          tickFormatter={(v: number) => `${v} V`}
          stroke="var(--mute)"
          fontSize={12}
        />
        <ReferenceLine
          y={0.95 * seen.packV}
          stroke="var(--mute)"
          strokeDasharray="5 4"
          label={{
            value: '95 % of the pack',
            position: 'insideBottomRight',
            fontSize: 12,
            fill: 'var(--mute)',
          }}
        />
        <Line
          dataKey="v"
          stroke="var(--mat-text)"
          strokeWidth={2}
          dot={rows.length < 40}
          isAnimationActive={false}
        />
      </LineChart>
    </ResponsiveContainer>
  );
}
