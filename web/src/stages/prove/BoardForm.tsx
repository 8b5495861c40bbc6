import { InputProblem, judgeAt, possibleV } from '@cellmend/core/pack';
import { parseQuantity } from '@cellmend/core/jot';
import { APART_MV, channelsOfBoard, judgeBoard, type BoardSeen } from '@cellmend/core/prove';
import { useRef } from 'react';
import styled from 'styled-components';
import { spreadOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { Input } from '../../ui/Field';
import { Button, LinkButton, Mute, ProblemNote, Row, Stack } from '../../ui/parts';
import { fixed, signed } from '../../ui/words';
import { useReadings } from '../notes/Readings';

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 272px), 1fr));
  gap: 6px 22px;
`;
const Line = styled.label`
  display: grid;
  grid-template-columns: minmax(44px, 1fr) 50px 88px 68px;
  gap: 8px;
  align-items: center;
  min-height: 48px;
  border-bottom: 1px solid var(--line);
  .off {
    color: var(--bad);
    font-weight: 700;
  }
  .r {
    text-align: right;
    white-space: nowrap;
  }
`;
const RECORD: Record<BoardSeen['state'], string> = {
  pass: 'Record: right',
  hold: 'Record: on the edge',
  fail: 'Record: not right',
  open: 'Record',
};
/** A reading that is older belongs to another rest. */
const SAME_REST_MS = 24 * 3600_000;

/** A board against the meter: each of its channels beside the scan after the work, filled from what was jotted or walked. */
export function BoardForm({ place, onDone }: { place: string; onDone: () => void }) {
  const { job, pack, findings } = useJobView();
  const [typed, setTyped, clear] = useDraft<Record<string, string>>(`${job.number}.board.${place}`, {});
  const { data: readings } = useReadings(job.number);
  const grid = useRef<HTMLDivElement>(null);
  const write = useWrite();
  const after = spreadOf(findings, 'after');
  if (!after)
    return (
      <Row style={{ flexWrap: 'wrap' }}>
        <Mute style={{ flex: '1 1 240px' }}>
          The board is held against a scan after the work: log a few minutes at rest, then meter its channels
          at the same rest.
        </Mute>
        <LinkButton $quiet to={`/jobs/${job.number}/scan`}>
          To Scan
        </LinkButton>
      </Row>
    );
  const channels = channelsOfBoard(pack, place);
  /** What was metered at a channel within the day: the newest that stands. */
  const metered = new Map(
    [...(readings ?? [])]
      .sort((a, b) => a.observedAt.localeCompare(b.observedAt))
      .filter(
        (r) =>
          r.kind === 'voltage' &&
          r.value !== null &&
          r.supersededBy === null &&
          Date.now() - new Date(r.observedAt).getTime() < SAME_REST_MS,
      )
      .map((r) => [r.place, r]),
  );
  const shown = (id: string): string =>
    typed[id] ?? (metered.has(id) ? metered.get(id)!.value!.toFixed(3) : '');
  const read = (i: number): { v: number | null; problem: string } => {
    const text = shown(pack.channels[i]!.id).trim();
    if (text === '') return { v: null, problem: '' };
    try {
      const { value, quantity } = parseQuantity(text);
      const judged = judgeAt(pack, { kind: 'channel', index: i }, value);
      const { leastV, mostV } = possibleV(pack.profile, pack.channels[i]!.cells);
      return (quantity !== null && quantity !== 'voltage') || judged.state === 'impossible'
        ? { v: null, problem: `${leastV.toFixed(1)}…${mostV.toFixed(1)}`.replace('-', '−') }
        : { v: value, problem: '' };
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      return { v: null, problem: 'volts' };
    }
  };
  const taken = new Map(channels.map((i) => [i, read(i)]));
  const wrong = channels.filter((i) => taken.get(i)!.problem !== '');
  const meter = new Map(
    channels.flatMap((i) => (taken.get(i)!.v === null ? [] : [[i, taken.get(i)!.v!] as const])),
  );
  const seen = judgeBoard(channels, after.report.settledV, meter, after.report.jumps, pack);
  const next = (from: HTMLInputElement): void => {
    const all = [...(grid.current?.querySelectorAll('input') ?? [])];
    all[all.indexOf(from) + 1]?.focus();
  };
  const record = async (): Promise<void> => {
    const board = {
      findingId: after.id,
      meter: [...meter].map(([i, voltageV]) => ({ channel: pack.channels[i]!.id, voltageV })),
    };
    if (await write.run('/checks', { check: 'board-agrees', place, passed: seen.state !== 'fail', board })) {
      clear();
      onDone();
    }
  };
  return (
    <Stack $gap={10}>
      <Mute>
        Scan after the work beside the meter, V. What was jotted or walked within the day stands here already.
      </Mute>
      <Grid ref={grid}>
        {seen.rows.map((r, k) => {
          const { problem } = taken.get(channels[k]!)!;
          const off = r.apartMv !== null && Math.abs(r.apartMv) > APART_MV.good;
          return (
            <Line key={r.channel}>
              <b className="n">{r.channel}</b>
              <span className="n r">{r.scanV === null ? 'none' : fixed(r.scanV, 3)}</span>
              <Input
                className="n"
                inputMode="decimal"
                enterKeyHint="next"
                aria-label={`Meter at ${r.channel}, volts`}
                aria-invalid={problem !== ''}
                value={shown(r.channel)}
                onChange={(e) => setTyped({ ...typed, [r.channel]: e.target.value })}
                onKeyDown={(e) => {
                  if (e.key !== 'Enter') return;
                  e.preventDefault();
                  next(e.currentTarget);
                }}
              />
              <span className={off || problem ? 'n r off' : 'n r'}>
                {problem || (r.apartMv === null ? '' : `${signed(r.apartMv, 0)} mV`)}
              </span>
            </Line>
          );
        })}
      </Grid>
      {wrong.length > 0 && (
        <ProblemNote
          what={`${wrong.map((i) => pack.channels[i]!.id).join(', ')}: no voltage of a cell group.`}
          accepted="Volts, as in 3.452, within what stands beside it."
        />
      )}
      <ul style={{ margin: 0, paddingLeft: 18 }}>
        {seen.says.map((s) => (
          <li key={s}>{s}</li>
        ))}
      </ul>
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      <Row>
        <Button isDisabled={write.busy || meter.size === 0 || wrong.length > 0} onPress={() => void record()}>
          {RECORD[seen.state]}
        </Button>
      </Row>
    </Stack>
  );
}
