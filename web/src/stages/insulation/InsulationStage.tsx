import {
  missingCaseParts,
  OTHER_PARTS,
  UNBOUNDED_OHM,
  type InsulationReport,
  type NextSplit,
  type OtherPart,
} from '@cellmend/core/insulation';
import { useState } from 'react';
import { RememberedLeak } from './RememberedLeak';
import { useView } from '../../shell/useView';
import styled from 'styled-components';
import { leakOf, useInsulation, useSafety } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import {
  Answer,
  Button,
  Columns,
  LinkButton,
  Mute,
  NextBar,
  Page,
  PlainList,
  Sheet,
  Stack,
} from '../../ui/parts';
import { Views } from '../../ui/Tabs';
import { fixed, ohms, when } from '../../ui/words';
import { Readings } from '../notes/Readings';
import type { StageProps } from '../props';
import { HowBig } from './HowBig';
import { Ladder } from './Ladder';
import { PolesForm } from './PolesForm';
import { useAdd } from './useAdd';
import { say } from './view';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';

const Calculators = lazyChart<
  PropsOf<(typeof import('./Calculators'))['Calculators']>,
  typeof import('./Calculators')
>(() => import('./Calculators'), 'Calculators', 420);

const TesterForm = lazyChart<
  PropsOf<(typeof import('./TesterForm'))['TesterForm']>,
  typeof import('./TesterForm')
>(() => import('./TesterForm'), 'TesterForm', 420);

const SeenForm = lazyChart<
  PropsOf<(typeof import('../work/SeenForm'))['SeenForm']>,
  typeof import('../work/SeenForm')
>(() => import('../work/SeenForm'), 'SeenForm', 420);

const VehicleFigure = lazyChart<
  PropsOf<(typeof import('./VehicleFigure'))['VehicleFigure']>,
  typeof import('./VehicleFigure')
>(() => import('./VehicleFigure'), 'VehicleFigure', 420);

const SeriesChart = lazyChart<
  PropsOf<(typeof import('./SeriesChart'))['SeriesChart']>,
  typeof import('./SeriesChart')
>(() => import('./SeriesChart'), 'SeriesChart', 176);

const Tests = styled(PlainList)`
  li {
    background: var(--sheet);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 8px 12px;
    display: grid;
    grid-template-columns: minmax(72px, auto) 1fr auto;
    gap: 2px 12px;
    align-items: baseline;
  }
  li[data-verdict='leak'] {
    box-shadow: inset 4px 0 0 var(--sus);
  }
  li[data-verdict='next'] {
    border-style: dashed;
  }
  b {
    font-size: var(--t-l);
  }
  span {
    grid-column: 1 / 4;
    color: var(--mute);
    font-size: var(--t-s);
  }
`;
const VIEWS = [
  ['search', 'The search'],
  ['poles', 'Voltages'],
  ['vehicle', 'The vehicle'],
  ['tester', 'Tests'],
  ['seen', 'What is seen'],
  ['figures', 'Bus and fuses'],
  ['record', 'Record'],
] as const;
type View = (typeof VIEWS)[number][0];

/** Where a leak sits: two voltages, then the fewest tests. */
export function InsulationStage({ question, stage }: StageProps) {
  const { job, findings, pack, person } = useJobView();
  const leak = leakOf(findings)?.report ?? null;
  const [view, setView] = useView('view', VIEWS);
  const [preset, setPreset] = useState<NextSplit | null>(null);
  const [part, setPart] = useState<OtherPart | null>(null);
  const open = (v: View, split: NextSplit | null = null, which: OtherPart | null = null): void => {
    setPreset(split);
    setPart(which);
    setView(v);
  };
  return (
    <Page>
      <h1>{question}</h1>
      {leak ? <Found leak={leak} /> : null}
      {(leak?.jotted ?? []).map((j) => (
        <Mute key={j.pole ?? j.module}>
          Jotted at {j.pole ? `the ${j.pole} pole` : j.module}:{' '}
          {j.ohm === null ? 'OL' : `${j.atLeast ? '>' : ''}${ohms(j.ohm)}`}, {j.says}.
        </Mute>
      ))}
      <Views of={VIEWS} value={view} onChange={(v) => open(v)} label="Insulation" />
      {view === 'search' &&
        (leak ? (
          <Search leak={leak} onPart={person.mayWrite ? (which) => open('tester', null, which) : null} />
        ) : (
          <Sheet>
            <Stack>
              <h2>Two voltages tell where it is</h2>
              <p>
                Measure the negative pole to chassis, then the positive pole to chassis, with the same meter.
                Their ratio says where along the string the leak sits, their sum how big it is. For example,
                146 V and 202 V of 348 V put it 42 % up the string. Of this pack nothing is measured yet.
              </p>
              <Ladder pack={pack} leak={null} example={0.42} />
              {person.mayWrite && (
                <div>
                  <Button onPress={() => open('poles')}>Type the two voltages</Button>
                </div>
              )}
            </Stack>
          </Sheet>
        ))}
      {view === 'poles' && <PolesForm onDone={() => open('search')} />}
      {view === 'vehicle' && <VehicleFigure leak={leak} />}
      {view === 'tester' && <TesterForm preset={preset} part={part} onDone={() => open('search')} />}
      {view === 'seen' && <SeenForm leak={leak} />}
      {view === 'figures' && <Calculators leak={leak} />}
      {view === 'record' && (
        <>
          <Record />
          <FromLockout />
          <Readings stage={stage} />
        </>
      )}
      {leak && view === 'search' && !leak.found && <RememberedLeak leak={leak} />}
      {leak && (view === 'search' || view === 'seen') && (
        <NextBar>
          <div>
            <b>{leak.next.text}</b>
            <br />
            {leak.next.split
              ? `${fixed(leak.next.split.expected.tests, 1)} tests and ${fixed(leak.next.split.expected.minutes, 0)} min expected to the module; halving ${fixed(leak.next.halving!.tests, 1)} and ${fixed(leak.next.halving!.minutes, 0)} min, one by one ${fixed(leak.next.oneByOne!.tests, 1)} and ${fixed(leak.next.oneByOne!.minutes, 0)} min.`
              : 'Disconnect the management unit before any test voltage. Treat the opened pack as live.'}
          </div>
          {leak.found && !job.decisions.some((d) => d.topic === 'measures') && (
            <LinkButton $quiet to={`/jobs/${job.number}/findings`}>
              Decide on {leak.found}
            </LinkButton>
          )}
          {!job.gate.holds && leak.next.kind !== 'poles' && leak.next.kind !== 'nothing' ? (
            <LinkButton to={`/jobs/${job.number}/make-safe`}>Make safe first</LinkButton>
          ) : (
            person.mayWrite &&
            leak.next.kind !== 'nothing' && (
              <Button
                onPress={() => (leak.next.kind === 'poles' ? open('poles') : open('tester', leak.next.split))}
              >
                {leak.next.kind === 'poles' ? 'Type voltages' : 'Record test'}
              </Button>
            )
          )}
        </NextBar>
      )}
    </Page>
  );
}

function Found({ leak }: { leak: InsulationReport }) {
  // A known resistor measures the leak itself; what bounds it is no headline beside that.
  const r =
    leak.sizes?.sources.find((s) => s.from === 'the known resistor')?.size ??
    // Of sources that do not agree none is the headline.
    (leak.sizes?.agree === false ? null : leak.leakOhm);
  const unbounded = r && r.high >= UNBOUNDED_OHM;
  const bounded = r && !unbounded && r.low < 0.2 * r.high && r.value < 0.9 * r.high;
  const size = r && (unbounded ? `≥ ${ohms(r.low)}` : bounded ? `≤ ${ohms(r.high)}` : ohms(r.value));
  return (
    <Answer
      tone={leak.title === 'Not measured yet' || leak.suspected === false ? 'plain' : 'suspect'}
      title={leak.title}
      big={size ?? undefined}
      small={
        leak.judged
          ? `${fixed(leak.judged.ohmPerV, 0)} Ω/V, limit ${leak.judged.leastOhmPerV} Ω/V`
          : undefined
      }
    >
      {leak.text}
      {leak.vehicle && ` The vehicle: ${leak.vehicle.text}`}
      {leak.chassis && ` ${leak.chassis}`}
      {leak.other && ` Measured ${leak.other.state}, told apart: ${leak.other.title}. ${leak.other.text}`}
    </Answer>
  );
}

const POLE_SAYS = { negative: 'from the − pole', positive: 'from the + pole', both: 'from both poles' };

function Search({
  leak,
  onPart,
}: {
  leak: InsulationReport;
  /** Opens the tester's form for a part that is no module; null for whoever may not write. */
  onPart: ((which: OtherPart) => void) | null;
}) {
  const { pack } = useJobView();
  const [others, setOthers] = useState(false);
  const split = leak.next.split;
  const connectorIsNext =
    leak.coverage?.complete === true &&
    (leak.coverage.caseParts?.missing ?? []).includes(OTHER_PARTS['pack connector'].name);
  return (
    <>
      <PassesNow leak={leak} />
      {leak.wetTest && leak.next.text !== leak.wetTest && <p>{leak.wetTest}</p>}
      {leak.odd && leak.odd.length > 0 && (
        <Sheet>
          <h3>Like with like</h3>
          {leak.odd.map((o) => (
            <p key={o.label}>{o.says}</p>
          ))}
        </Sheet>
      )}
      <Sheet>
        <h3>The string, from negative to positive</h3>
        <Mute>
          {leak.suspected === false && !leak.location
            ? 'Filled is clean by a test that counts; white is not tested yet, or not long enough.'
            : 'Bars show how likely the leak is in each module. The needle is where the chassis sits on the voltage ladder.'}
          {!leak.trust.ok && ' Two leaks: the needle means nothing now.'}
          {!leak.known && leak.location?.remarks.map((r) => ` ${r}`)}
        </Mute>
        <Ladder pack={pack} leak={leak} />
        {leak.tests.length > 0 && leak.coverage?.caseParts && leak.coverage.caseParts.missing.length > 0 && (
          <Mute>{missingCaseParts(leak.coverage)}</Mute>
        )}
        {connectorIsNext && onPart && (
          <div>
            <Button onPress={() => onPart('pack connector')}>Test the pack connector</Button>
          </div>
        )}
      </Sheet>
      <HowBig leak={leak} />
      <Columns $of="1.05fr 1fr">
        <Sheet>
          <h3>Insulation tests</h3>
          {leak.tests.length > 0 ? (
            <SeriesChart tests={leak.tests} />
          ) : (
            <Mute>Curves of the tests show here, on a log axis with the limit.</Mute>
          )}
        </Sheet>
        <Tests>
          {leak.tests.slice(-4).map((t, i) => (
            <li key={i} data-verdict={t.result.verdict}>
              <b>{t.label}</b>
              <b>
                {t.result.bound
                  ? `${t.result.ohm === null ? 'pinned' : ohms(t.result.ohm)} at ${fixed(t.result.reachedV ?? 0, 0)} V`
                  : t.result.ohm === null
                    ? '–'
                    : `${t.result.atLeast ? 'more than ' : ''}${ohms(t.result.ohm)}${t.result.rising ? ', rising' : ''}`}
              </b>
              <b className="n">{t.lacks ? 'so far' : t.result.verdict}</b>
              <span>
                {t.mounted ? 'as mounted' : 'loose'}
                {t.wetted && ', after wetting'}
                {t.terminals && t.part === 'pack' && `, ${POLE_SAYS[t.terminals]}`}
                {t.lacks && t.lacks !== 'loose' && `, ${t.lacks}`}
                {t.result.dar !== null && !t.result.bound && `, DAR ${fixed(t.result.dar, 2)}`}
                {t.result.pi !== null && !t.result.bound && `, PI ${fixed(t.result.pi, 2)}`}
                {t.result.bound && `, ${t.setV} V not reached`}
                {t.result.ohmAt40C !== null &&
                  !t.result.bound &&
                  `, ${t.result.atLeast ? 'more than ' : ''}${ohms(t.result.ohmAt40C)} at 40 °C${t.result.against && t.result.against.at40C !== t.result.against.asMeasured ? `, ${t.result.against.at40C} the limit; as measured ${t.result.against.asMeasured} it, which counts` : ''}`}
                {t.query && `. ${t.query}`}
              </span>
            </li>
          ))}
          {split && (
            <li data-verdict="next">
              <b>Next</b>
              <b>
                {split.modules[0] === split.modules[1]
                  ? split.modules[0]
                  : `${split.modules[0]} to ${split.modules[1]}`}
              </b>
              <b className="n">{split.opens.join(' ')}</b>
              <span>{split.opens.length > 0 ? 'links to pull, then test' : 'separated already'}</span>
            </li>
          )}
          {leak.next.others.length > 0 && (
            <li>
              <b>Else</b>
              <Button quiet onPress={() => setOthers(!others)}>
                {others ? 'Fewer' : 'Other splits'}
              </Button>
              <i />
              {others &&
                leak.next.others.map((o) => (
                  <span key={o.modules.join()}>
                    {o.modules[0] === o.modules[1] ? o.modules[0] : `${o.modules[0]} to ${o.modules[1]}`}
                    {o.opens.length > 0 && ` by ${o.opens.join(', ')}`}: {fixed(o.expected.tests, 1)} tests,{' '}
                    {fixed(o.expected.minutes, 0)} min
                  </span>
                ))}
            </li>
          )}
        </Tests>
      </Columns>
      {leak.contradiction && <FalsePasses leak={leak} />}
      {leak.causes.length > 0 && (
        <Sheet>
          <h3>What was seen points to {leak.causes[0]!.cause}</h3>
          <Mute>
            {leak.causes[0]!.because.join(', ')}. {leak.entry ?? ''}
          </Mute>
        </Sheet>
      )}
    </>
  );
}

/** What leaked and passes now: how the pass may deceive is asked at once, and what the test itself said is not asked again. */
function PassesNow({ leak }: { leak: InsulationReport }) {
  const open = (leak.passesNow ?? []).filter((m) => m.state !== 'cleared');
  if (open.length === 0) return null;
  const wanted = new Set(open.flatMap((m) => [...m.ask, ...m.against]));
  return (
    <Sheet>
      <Stack>
        <h3>
          {open.map((m) => m.module).join(' and ')} leaked, and {open.length > 1 ? 'pass' : 'passes'} now.
          Before that is believed:
        </h3>
        {leak.falsePasses
          .filter((f) => wanted.has(f.id))
          .map((f) => (
            <FalsePassRow
              key={f.id}
              row={{ ...f, yes: open.some((m) => m.ask.includes(f.id)) ? null : f.yes }}
            />
          ))}
      </Stack>
    </Sheet>
  );
}

/** Ways a pass deceives, asked when it contradicts the vehicle. */
function FalsePasses({ leak }: { leak: InsulationReport }) {
  return (
    <Sheet>
      <Stack>
        <h3>{leak.contradiction}</h3>
        {leak.falsePasses.map((f) => (
          <FalsePassRow key={f.id} row={f} />
        ))}
      </Stack>
    </Sheet>
  );
}

function FalsePassRow({ row }: { row: InsulationReport['falsePasses'][number] }) {
  const { person } = useJobView();
  const { add, busy } = useAdd();
  return (
    <div style={{ display: 'grid', gridTemplateColumns: '1fr auto', gap: 12, alignItems: 'center' }}>
      <div>
        <b>{row.question}</b>
        <br />
        <Mute>{row.trap}</Mute>
      </div>
      <div style={{ display: 'flex', gap: 6 }}>
        {[true, false].map((yes) => (
          <Button
            key={String(yes)}
            quiet={row.yes !== yes}
            isDisabled={busy || !person.mayWrite}
            onPress={() => void add({ observation: { kind: 'answer', question: row.id, yes } })}
          >
            {yes ? 'Yes' : 'No'}
          </Button>
        ))}
      </div>
    </div>
  );
}

/** Evidence that was gathered with the lock-out, read back where the leak is looked for. */
function FromLockout() {
  const { job } = useJobView();
  const { data } = useSafety(job.number);
  const shown = (data?.evidence ?? []).filter(
    (e) =>
      ['insulation-evidence', 'pyro-evidence', 'live-dead-live', 'look'].includes(e.kind) && !e.supersededBy,
  );
  if (shown.length === 0) return null;
  return (
    <Sheet>
      <h3>From the lock-out</h3>
      <table>
        <tbody>
          {shown.map((e) => (
            <tr key={e.id}>
              <td style={{ padding: '7px 10px 7px 0' }}>{e.says}</td>
              <td style={{ textAlign: 'right' }}>
                <Mute>
                  {e.by}, {when(e.at)}
                </Mute>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Sheet>
  );
}

/** Every observation as it was recorded. */
function Record() {
  const { job } = useJobView();
  const { data } = useInsulation(job.number);
  if (!data || data.length === 0) return <Mute>Nothing recorded yet.</Mute>;
  return (
    <Sheet>
      <table>
        <tbody>
          {[...data].reverse().map((e) => (
            <tr
              key={e.id}
              style={e.supersededBy ? { textDecoration: 'line-through', color: 'var(--mute)' } : undefined}
            >
              <td style={{ padding: '7px 10px 7px 0' }}>{say(e.observation)}</td>
              <td style={{ textAlign: 'right' }}>
                <Mute>
                  {e.by}, {when(e.at)}
                  {e.reason && `. ${e.reason}`}
                </Mute>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Sheet>
  );
}
