import type { Run } from '@cellmend/contract/bench';
import type { BenchSaid, CycleVerdict, HeldJudged } from '@cellmend/core/bench';
import { STAGE_FACTS } from '@cellmend/core/route';
import { format } from 'date-fns';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';
import { Answer, Button, DataTable, Mute, Page, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { temperature, told } from '../../ui/units';
import { duration, fixed, percent, signed, when } from '../../ui/words';
import { Readings, useReadings } from '../notes/Readings';
import type { StageProps } from '../props';
import { Days } from './Days';
import { LoadBank } from './LoadBank';
import { Proposes } from './Proposes';
import { Running } from './Running';
import { interruptedWords } from './interrupted';
import { StartRuns } from './StartRuns';
import { overAt, useSupervised } from './useSupervised';
import { RunForm } from './RunForm';
import { heldOf, type Held } from './holds';
import { sticksOf, useBench, useThread, warmOf, type Sticks } from './useBench';

const Curves = lazyChart<PropsOf<typeof import('./Curves').Curves>, typeof import('./Curves')>(
  () => import('./Curves'),
  'Curves',
  220,
);
/** Worth looking at first. */
const ORDER: Record<CycleVerdict, number> = {
  'fails warm': 0,
  falling: 0,
  worn: 1,
  'go on': 2,
  'once more': 3,
  fit: 4,
  'not measured': 5,
};
const HOLD_WORDS = { pass: 'holds', fail: 'leaks', dead: 'dead', inconclusive: 'too early to tell' } as const;
const MOST_CYCLES = 5;

const Name = styled.button`
  background: none;
  border: 0;
  padding: 0;
  min-height: 44px;
  min-width: 52px;
  text-align: left;
  font-weight: 700;
  color: var(--mat-text);
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
`;

/** What each module holds: cycles, what they say, hold tests; the load bank and the days beside them. */
export function BenchStage({ question, stage }: StageProps) {
  const { job, pack, selected, select, person } = useJobView();
  const { data } = useBench(job.number);
  const { data: readings } = useReadings(job.number);
  const runs = useSupervised(job.number);
  const [tool, setTool] = useState<'none' | 'start' | 'days' | 'bank'>('none');
  const sticks = sticksOf(pack, data?.runs ?? []);
  const held = (data?.holds ?? []).map((h) => heldOf(pack, h, readings ?? [], data?.runs ?? []));
  const judged = useThread('holds', held.length > 0 ? held.map((h) => h.asks) : null);
  const judgedAt = (id: string): HeldJudged | null =>
    judged.answer?.[held.findIndex((h) => h.place === id)] ?? null;
  const warm = warmOf(pack, readings ?? []);
  const place = selected === null ? (pack.modules[0]?.id ?? '') : pack.modules[selected]!.id;
  const of = (verdict: CycleVerdict): Sticks[] => sticks.filter((s) => s.judged.verdict === verdict);
  const measured = sticks.filter((s) => s.cycles.some((c) => !c.lowerBound));
  const [worn, fit, falling] = [of('worn'), of('fit'), of('falling')];
  const failsWarm = of('fails warm');
  const gains = of('go on');
  const names = (list: readonly Sticks[]): string => list.map((s) => s.place).join(', ');
  const own = sticks.find((s) => s.place === place);
  const said =
    sticks.length === 0
      ? 'Nothing has run yet'
      : failsWarm.length > 0
        ? `${names(failsWarm)} ${failsWarm.length === 1 ? 'fails' : 'fail'} warm`
        : falling.length > 0
          ? `${names(falling)} ${falling.length === 1 ? 'falls' : 'fall'}: stop`
          : worn.length > 0
            ? `${names(worn)} ${worn.length === 1 ? 'is' : 'are'} worn`
            : gains.length > 0
              ? `${names(gains)}: go on`
              : `${fit.length} of ${pack.modules.length} fit`;
  const findings: BenchSaid[] = pack.modules.map(({ id }) => ({
    place: id,
    cycles: sticks.find((s) => s.place === id)?.judged ?? null,
    hold: judgedAt(id)?.verdict ?? null,
    recovered: (data?.runs ?? []).filter((r) => r.place === id && r.held !== null).at(-1)?.held ?? null,
  }));
  const waits = runs.filter((r) => r.state === 'interrupted');
  const on = runs.filter((r) => r.state === 'running');
  const first = [...on].sort((a, b) => (a.runLeftS ?? 0) / a.timeScale - (b.runLeftS ?? 0) / b.timeScale)[0];
  const left = pack.modules.map((m) => m.id).filter((id) => !fit.some((s) => s.place === id));
  return (
    <Page>
      <h1>{question}</h1>
      <Answer
        tone={waits.length > 0 || worn.length + falling.length + failsWarm.length > 0 ? 'suspect' : 'plain'}
        title={
          waits.length > 0
            ? interruptedWords(waits)
            : first
              ? `${on.length} ${on.length === 1 ? 'runs' : 'run'}; next hands about ${format(overAt(first)!, 'HH:mm')}, ${first.place || 'the pack'}`
              : said
        }
        big={sticks.length > 0 ? `${measured.length} of ${pack.modules.length}` : undefined}
        small={sticks.length > 0 ? `measured, ${fit.length} fit` : undefined}
      >
        {(waits.length > 0 || first) && sticks.length > 0 && `${said}. `}
        {STAGE_FACTS[stage].caution}
      </Answer>
      {warm.map((w) => (
        <ProblemNote key={w.place} what={`${w.place}: ${w.says}`} />
      ))}
      <Running runs={runs} />
      <Row>
        <Chips
          selectionMode="single"
          selectedKeys={tool === 'none' ? [] : [tool]}
          onSelectionChange={(k) => setTool(([...k][0] as typeof tool | undefined) ?? 'none')}
          aria-label="Work out"
        >
          {person.mayWrite && <ToggleButton id="start">Start runs</ToggleButton>}
          <ToggleButton id="days">How many days</ToggleButton>
          <ToggleButton id="bank">Load bank</ToggleButton>
        </Chips>
      </Row>
      {tool === 'start' && <StartRuns left={left} runs={runs} />}
      {tool === 'days' && <Days left={left} runs={runs} />}
      {tool === 'bank' && <LoadBank />}
      {sticks.length > 0 && (
        <Sheet aria-label="Cycles so far">
          <Stack $gap={8}>
            <h2>Cycles so far</h2>
            <DataTable>
              <thead>
                <tr>
                  <th>Module</th>
                  <th className="r">A·h, cycle by cycle</th>
                  <th className="r">Of rating</th>
                  <th className="r">Gain</th>
                  <th>Says</th>
                </tr>
              </thead>
              <tbody>
                {[...sticks]
                  .sort((a, b) => ORDER[a.judged.verdict] - ORDER[b.judged.verdict])
                  .map((s) => (
                    <tr key={s.place} aria-current={s.place === place || undefined}>
                      <td>
                        <Name
                          type="button"
                          onClick={() => select(pack.modules.findIndex((m) => m.id === s.place))}
                        >
                          {s.place}
                        </Name>
                      </td>
                      <td className="r">
                        {s.cycles.length > MOST_CYCLES && '… '}
                        {s.cycles
                          .slice(-MOST_CYCLES)
                          .map((c) => `${c.lowerBound ? '≥ ' : ''}${fixed(c.capacityAh!, 1)}`)
                          .join('  ') || '–'}
                      </td>
                      <td className="r">{s.judged.lastShare === null ? '–' : percent(s.judged.lastShare)}</td>
                      <td className="r">
                        {s.judged.gain === null ? '–' : `${signed(s.judged.gain * 100, 0)} %`}
                      </td>
                      <td>
                        {['worn', 'falling', 'fails warm'].includes(s.judged.verdict) ? (
                          <b>{s.judged.says}</b>
                        ) : (
                          s.judged.says
                        )}
                      </td>
                    </tr>
                  ))}
              </tbody>
            </DataTable>
          </Stack>
        </Sheet>
      )}
      <Proposes said={findings} />
      {own && <Own stick={own} />}
      {held.length > 0 && <Holds held={held} judgedAt={judgedAt} problem={judged.problem} />}
      {person.mayWrite && place !== '' && <RunForm key={place} place={place} />}
      <Readings stage={stage} />
    </Page>
  );
}

/** The runs of one module: their curves, and the same as a table. */
function Own({ stick }: { stick: Sticks }) {
  const drawn = stick.runs.some((r) => r.course);
  return (
    <Sheet aria-label={`Runs of ${stick.place}`}>
      <Stack $gap={8}>
        <h2>{stick.place}</h2>
        {drawn && <Curves runs={stick.runs} />}
        <DataTable>
          <thead>
            <tr>
              <th>Ended</th>
              <th className="r">A·h</th>
              <th className="r">At</th>
              <th className="r">Cut-off</th>
              <th className="r">R, 10 s</th>
              <th className="r">Warmest</th>
              <th>Says</th>
              <th aria-label="Take back" />
            </tr>
          </thead>
          <tbody>
            {[...stick.runs].reverse().map((r) => (
              <RunRow key={r.id} run={r} />
            ))}
          </tbody>
        </DataTable>
      </Stack>
    </Sheet>
  );
}

function RunRow({ run }: { run: Run }) {
  const { job, person } = useJobView();
  const [asks, setAsks] = useState(false);
  const [reason, setReason, clear] = useDraft(`${job.number}.no-run.${run.id}`, '');
  const write = useWrite();
  const withdraw = async (): Promise<void> => {
    if (await write.run(`/bench/${run.id}/withdraw`, { reason })) clear();
  };
  return (
    <tr>
      <td>
        {when(run.at)}
        <br />
        <Mute>
          {run.by}
          {run.sha256 && (
            <>
              , <a href={`/api/bench/${run.id}/file`}>{run.name || 'the file'}</a>
            </>
          )}
        </Mute>
      </td>
      <td className="r">
        <b>{run.capacityAh === null ? '–' : `${run.lowerBound ? '≥ ' : ''}${fixed(run.capacityAh, 2)}`}</b>
      </td>
      <td className="r">{run.currentA === null ? '–' : `${fixed(run.currentA, 1)} A`}</td>
      <td className="r">{run.cutoffV === null ? '–' : `${fixed(run.cutoffV, 1)} V`}</td>
      <td className="r">{run.r10sMilliohm === null ? '–' : `${fixed(run.r10sMilliohm, 1)} mΩ`}</td>
      <td className="r">{run.hottestC === null ? '–' : temperature(run.hottestC)}</td>
      <td>
        {[run.note, ...run.says.map(told)].filter(Boolean).join(' ')}
        {run.from === 'hand' && run.dropoutsAh.length > 0 && ` ${run.dropoutsAh.length} steps seen.`}
        {asks && (
          <Row style={{ alignItems: 'flex-end' }}>
            <Field style={{ flex: 1 }}>
              Why it is taken back
              <Input value={reason} maxLength={500} onChange={(e) => setReason(e.target.value)} />
            </Field>
            <Button isDisabled={write.busy || reason.trim() === ''} onPress={() => void withdraw()}>
              Take back
            </Button>
          </Row>
        )}
        {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      </td>
      <td>
        {person.mayWrite && !asks && (
          <Button quiet onPress={() => setAsks(true)} aria-label={`Take back the run of ${when(run.at)}`}>
            Undo
          </Button>
        )}
      </td>
    </tr>
  );
}

/** Modules that are left alone after their charge, by the voltages jotted since. */
function Holds({
  held,
  judgedAt,
  problem,
}: {
  held: readonly Held[];
  judgedAt: (place: string) => HeldJudged | null;
  problem: { what: string; accepted: string } | null;
}) {
  return (
    <Sheet aria-label="Hold tests">
      <Stack $gap={8}>
        <h2>Hold tests</h2>
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        <DataTable>
          <thead>
            <tr>
              <th>Module</th>
              <th>Since</th>
              <th className="r">Now</th>
              <th className="r">Loses</th>
              <th>Says</th>
            </tr>
          </thead>
          <tbody>
            {held.map((h) => {
              const last = h.readings.at(-1);
              const j = judgedAt(h.place);
              return (
                <tr key={h.place}>
                  <td>
                    <b>{h.place}</b>
                  </td>
                  <td>{when(h.since)}</td>
                  <td className="r">{last ? `${fixed(last.v, 3)} V, ${duration(last.h)}` : '–'}</td>
                  <td className="r">
                    {j?.monthShare
                      ? `${fixed(j.monthShare.value * 100, 1)} ± ${fixed(j.monthShare.halfWidth * 100, 1)} % a month`
                      : '–'}
                    {j?.leakMilliamp && (
                      <>
                        <br />
                        <Mute>
                          {fixed(j.leakMilliamp.value, 1)} ± {fixed(j.leakMilliamp.halfWidth, 1)} mA
                        </Mute>
                      </>
                    )}
                  </td>
                  <td>
                    {j ? (
                      <>
                        <b>{HOLD_WORDS[j.verdict]}. </b>
                        {j.reasons[0] ?? ''}{' '}
                        {j.missing.length > 0 && <Mute>Not known: {j.missing.join(' ')}</Mute>}
                      </>
                    ) : last ? (
                      <Mute>{problem ? 'Not judged.' : 'Working it out…'}</Mute>
                    ) : (
                      <Mute>Jot its voltage now: {h.place.toLowerCase()} 8.2</Mute>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </DataTable>
      </Stack>
    </Sheet>
  );
}
