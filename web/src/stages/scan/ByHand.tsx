import type { ScanSummary } from '@cellmend/contract/jobs';
import type { TypedScan } from '@cellmend/contract/scans';
import { cellFigure } from '@cellmend/core/scan';
import {
  parseQuantity,
  pastedVoltages,
  RECORD_END_WORDS,
  RECORD_ENDS,
  typedSays,
  type RecordEnd,
} from '@cellmend/core/jot';
import { InputProblem, judgeAt } from '@cellmend/core/pack';
import { useRef, useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { useDraft } from '../../shell/useDraft';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import type { Round } from '../../shell/walkRound';
import { celsiusOf } from '../../ui/celsius';
import { temperatureUnit } from '../../ui/units';
import { Input, Field } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, Mute, NextBar, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';

/** The pack as it lies: one box a module, its channels in order. */
const Tier = styled.div<{ $columns: number }>`
  display: grid;
  gap: 10px;
  grid-template-columns: repeat(${(p) => p.$columns}, minmax(0, 1fr));
  @media (max-width: 1000px) {
    ${(p) => p.$columns > 3 && 'grid-template-columns: repeat(auto-fill, minmax(132px, 1fr));'}
  }
  @media (max-width: 480px) {
    ${(p) => p.$columns > 2 && 'grid-template-columns: repeat(2, minmax(0, 1fr));'}
  }
`;
const Box = styled.fieldset`
  margin: 0;
  min-width: 0;
  border: 1px solid var(--line);
  border-radius: 6px;
  padding: 6px 8px 8px;
  display: grid;
  gap: 4px 12px;
  align-content: start;
  grid-template-columns: repeat(auto-fit, minmax(116px, 1fr));
  legend {
    padding: 0 4px;
    font-weight: 700;
  }
  label {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: var(--t-s);
    color: var(--mute);
    min-width: 0;
  }
`;
const Cell = styled.input<{ $bad: boolean }>`
  flex: 1;
  min-width: 0;
  width: 100%;
  height: 44px;
  text-align: right;
  padding: 0 8px;
  font-size: var(--t-l);
  font-family: 'Atkinson Hyperlegible Mono Variable', monospace;
  border: 1px solid var(--edge);
  border-radius: 5px;
  background: var(--ground);
  color: var(--ink);
  &:focus {
    outline: 3px solid var(--mat-text);
  }
  ${(p) => p.$bad && 'border: 2px solid var(--bad); color: var(--bad); font-weight: 700;'}
`;

interface Draft {
  /** As typed, by channel. */
  cells: string[];
  end: RecordEnd;
  rest: 'rest' | 'load' | 'unknown';
  loadA: string;
  temperature: string;
  packVolts: string;
  shownCharge: string;
  how: 'typed' | 'walked';
}

const volts = (text: string): number | null => {
  const figure = cellFigure(text, /\d,\d/.test(text) ? ',' : '.');
  return figure && !Number.isNaN(figure.value)
    ? figure.unit.toLowerCase() === 'mv'
      ? figure.value / 1000
      : figure.value
    : null;
};

/** Voltages from a meter, a photo or another tool's screen: typed into the pack as it lies, or pasted, and kept as a record. */
export function ByHand({ role, onKept }: { role: 'before' | 'after'; onKept: () => Promise<void> }) {
  const { job, pack, person } = useJobView();
  const write = useWrite();
  const empty: Draft = {
    cells: pack.channels.map(() => ''),
    end: 'unknown',
    rest: 'rest',
    loadA: '',
    temperature: '',
    packVolts: '',
    shownCharge: '',
    how: 'typed',
  };
  const [kept, setDraft, clear] = useDraft<Draft>(`by-hand.${job.number}`, empty);
  const draft = kept.cells.length === pack.channels.length ? { ...empty, ...kept } : empty;
  const held = useRef(draft);
  held.current = draft;
  const [notRead, setNotRead] = useState<string[]>([]);
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const grid = useRef<HTMLDivElement>(null);
  const put = (change: Partial<Draft>): void => {
    held.current = { ...held.current, ...change };
    setDraft(held.current);
  };
  const order = pack.modules
    .slice()
    .sort(
      (a, b) => a.place.tier - b.place.tier || a.place.row - b.place.row || a.place.column - b.place.column,
    );
  const inOrder = order.flatMap((m) => m.channelIndices);
  const fill = (text: string, from: number): void => {
    const pasted = pastedVoltages(text, pack, from);
    const cells = [...held.current.cells];
    pasted.volts.forEach((v, i) => v !== null && (cells[i] = String(v)));
    put({ cells });
    setNotRead(pasted.notRead.map((n) => `${n.where}, “${n.text}”: ${n.why}`));
  };
  const onPaste = (event: ClipboardEvent<HTMLInputElement>, channel: number): void => {
    const text = event.clipboardData.getData('text');
    if (!/[\s;,|].*\d/.test(text.trim())) return;
    event.preventDefault();
    fill(text, channel);
  };
  const onKey = (event: KeyboardEvent<HTMLInputElement>, channel: number): void => {
    if (event.key !== 'Enter') return;
    event.preventDefault();
    const next = inOrder[inOrder.indexOf(channel) + (event.shiftKey ? -1 : 1)];
    grid.current?.querySelector<HTMLInputElement>(`[data-channel="${next}"]`)?.focus();
  };
  const walked = walkedVolts(
    job.number,
    pack.channels.map((c) => c.id),
  );
  const typed = draft.cells.filter((c) => volts(c) !== null).length;
  const says = pack.channels.flatMap((c) => {
    const v = volts(draft.cells[c.index]!);
    if (draft.cells[c.index]!.trim() === '') return [];
    if (v === null) return [{ id: c.id, bad: true, text: `“${draft.cells[c.index]}” is no voltage.` }];
    const { state } = judgeAt(pack, { kind: 'channel', index: c.index }, v);
    return state === 'normal'
      ? []
      : [{ id: c.id, bad: state === 'impossible', text: typedSays(v, c.index, pack) }];
  });
  const save = async (): Promise<void> => {
    setProblem(null);
    const number = (text: string): number | null => (text.trim() === '' ? null : parseQuantity(text).value);
    try {
      const bad = says.find((s) => s.bad);
      if (bad)
        throw new InputProblem('typed', `${bad.id}: ${bad.text}`, '', 'What the meter shows, or nothing.');
      const shownPercent = number(draft.shownCharge.replace('%', ''));
      const body: TypedScan = {
        role,
        end: draft.end,
        how: draft.how,
        volts: draft.cells.map(volts),
        currentA: draft.rest === 'rest' ? 0 : draft.rest === 'load' ? number(draft.loadA) : null,
        temperatureC: draft.temperature.trim() === '' ? null : celsiusOf(draft.temperature),
        packV: number(draft.packVolts),
        shownSocFraction: shownPercent === null ? null : shownPercent / 100,
        observedAt: new Date().toISOString(),
      };
      if (draft.rest === 'load' && body.currentA === null)
        throw new InputProblem(
          'current',
          'The current is missing.',
          '',
          'Amperes drawn, such as 12.5; − for charging.',
        );
      if (await write.run<ScanSummary>('/scans/typed', body)) {
        clear();
        setDraft(empty);
        await onKept();
      }
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  if (!person.mayWrite) return <Mute>You read only; nothing is typed here.</Mute>;
  const tiers = [...new Set(order.map((m) => m.place.tier))];
  return (
    <Stack $gap={14}>
      <Sheet>
        <Stack>
          <h2>Voltages of one moment, as a meter or a screen shows them</h2>
          <Row>
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[draft.end]}
              onSelectionChange={(k) => put({ end: [...k][0] as RecordEnd })}
              aria-label="How full is the pack"
            >
              {RECORD_ENDS.map((e) => (
                <ToggleButton key={e} id={e}>
                  {RECORD_END_WORDS[e].replace(/^./, (c) => c.toUpperCase())}
                </ToggleButton>
              ))}
            </Chips>
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[draft.rest]}
              onSelectionChange={(k) => put({ rest: [...k][0] as Draft['rest'] })}
              aria-label="Does current flow"
            >
              <ToggleButton id="rest">No current</ToggleButton>
              <ToggleButton id="load">Under load</ToggleButton>
              <ToggleButton id="unknown">Not known</ToggleButton>
            </Chips>
          </Row>
          <Row>
            {draft.rest === 'load' && (
              <Field>
                Current drawn, A
                <Input
                  inputMode="decimal"
                  value={draft.loadA}
                  onChange={(e) => put({ loadA: e.target.value })}
                />
              </Field>
            )}
            <Field>
              Temperature, {temperatureUnit()}
              <Input
                inputMode="decimal"
                value={draft.temperature}
                onChange={(e) => put({ temperature: e.target.value })}
              />
            </Field>
            <Field>
              Whole pack, V
              <Input
                inputMode="decimal"
                placeholder="if shown"
                value={draft.packVolts}
                onChange={(e) => put({ packVolts: e.target.value })}
              />
            </Field>
            <Field>
              Charge shown, %
              <Input
                inputMode="decimal"
                placeholder="if shown"
                value={draft.shownCharge}
                onChange={(e) => put({ shownCharge: e.target.value })}
              />
            </Field>
            <Field style={{ flex: '1 1 220px' }}>
              Paste a column, a row or a list
              <Input
                placeholder="ch1, 3.982 …"
                onPaste={(e) => {
                  e.preventDefault();
                  fill(e.clipboardData.getData('text'), 0);
                }}
                onKeyDown={(e) => {
                  // A line that is typed here is taken as a whole.
                  if (e.key !== 'Enter') return;
                  e.preventDefault();
                  fill(e.currentTarget.value, 0);
                  e.currentTarget.value = '';
                }}
              />
            </Field>
            {walked.some((v) => v !== '') && (
              <Button quiet onPress={() => put({ cells: walked, how: 'walked' })}>
                Take the last walk
              </Button>
            )}
          </Row>
          {notRead.length > 0 && (
            <div role="alert">
              <b>{notRead.length === 1 ? 'One figure was' : `${notRead.length} figures were`} not taken:</b>{' '}
              {notRead.slice(0, 4).join(' · ')}
              {notRead.length > 4 && ` and ${notRead.length - 4} more`}
            </div>
          )}
        </Stack>
      </Sheet>
      <div ref={grid}>
        <Stack $gap={14}>
          {tiers.map((t) => {
            const own = order.filter((m) => m.place.tier === t);
            const columns = Math.max(...own.map((m) => m.place.column)) + 1;
            return (
              <div key={t}>
                {tiers.length > 1 && <Mute>{pack.tiers[t]}</Mute>}
                <Tier $columns={Math.min(6, columns)}>
                  {own.map((m) => (
                    <Box key={m.id}>
                      <legend>{m.id}</legend>
                      {m.channelIndices.map((c) => {
                        const id = pack.channels[c]!.id;
                        const told = says.find((s) => s.id === id);
                        return (
                          <label key={id}>
                            {id}
                            <Cell
                              data-channel={c}
                              inputMode="decimal"
                              autoComplete="off"
                              aria-label={`${id}, volts`}
                              aria-invalid={told?.bad ?? false}
                              $bad={told !== undefined}
                              value={draft.cells[c]}
                              onChange={(e) => {
                                const cells = [...held.current.cells];
                                cells[c] = e.target.value;
                                put({ cells, how: 'typed' });
                              }}
                              onPaste={(e) => onPaste(e, c)}
                              onKeyDown={(e) => onKey(e, c)}
                            />
                          </label>
                        );
                      })}
                    </Box>
                  ))}
                </Tier>
              </div>
            );
          })}
        </Stack>
      </div>
      {says.length > 0 && (
        <Stack $gap={4}>
          {says.slice(0, 6).map((s) => (
            <p key={s.id} style={{ margin: 0 }}>
              <b>{s.id}</b> {s.text}
            </p>
          ))}
          {says.length > 6 && <Mute>and {says.length - 6} more</Mute>}
        </Stack>
      )}
      {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
      {write.problem && <ProblemNote {...write.problem} />}
      <NextBar>
        <div>
          <b>
            {typed} of {pack.channels.length} channels typed.
          </b>
          <br />
          {typed < 2
            ? 'Two records, near full and near empty, make a tilt.'
            : 'What is left empty counts as not read.'}
        </div>
        <Button quiet isDisabled={typed === 0} onPress={() => put({ ...empty })}>
          Empty the grid
        </Button>
        <Button isDisabled={typed < 2 || write.busy} onPress={() => void save()}>
          Keep as a record
        </Button>
      </NextBar>
    </Stack>
  );
}

/** Voltages of the last walk along the groups, as text by channel. */
function walkedVolts(job: number, ids: readonly string[]): string[] {
  try {
    const round = JSON.parse(localStorage.getItem(`cellmend.walk.${job}`) ?? 'null') as Round | null;
    if (round?.kind !== 'voltage') return ids.map(() => '');
    return ids.map((id) => {
      const v = round.taken[id]?.value;
      return v === null || v === undefined ? '' : String(v);
    });
  } catch {
    return ids.map(() => '');
  }
}
