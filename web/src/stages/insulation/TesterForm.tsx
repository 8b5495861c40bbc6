import {
  TESTER_A,
  testVoltageBounds,
  type NextSplit,
  type SeriesPoint,
  type TesterCurrent,
  type OtherPart,
} from '@cellmend/core/insulation';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { useSafety, useWorkshop } from '../../api/hooks';
import { usePassing } from '../../api/live';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { Input, Select, Field } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, LinkButton, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { fixed, ohms } from '../../ui/words';
import { Tick } from '../make-safe/step';
import { useInstruments } from '../../api/hooks';
import { useAdd } from './useAdd';
import { clipOf, type ClipDraft } from './clip';
import { ClipFields } from './ClipFields';
import { useShowReach } from './reachShown';
import { figure, reading } from './view';

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(84px, 1fr));
  gap: 8px;
  label {
    font-size: var(--t-s);
  }
`;
const MARKS = [15, 30, 60, 120, 300, 600];

/**
 * What the tester gives, from milliamperes typed; nothing where nothing is typed. What is left out is what any tester may
 * have, so that no bound is narrower than what is known.
 */
function currentOf(nominal: string, short: string): { tester: TesterCurrent | null; wrong: string | null } {
  const typed = (t: string): number | null => (t.trim() === '' ? null : Number(t.replace(',', '.')) / 1000);
  const [n, s] = [typed(nominal), typed(short)];
  if (n === null && s === null) return { tester: null, wrong: null };
  const tester = {
    nominal: n ?? Math.min(TESTER_A.nominal, s!),
    short: s ?? Math.max(TESTER_A.short, n!),
  };
  return tester.nominal >= 1e-4 && tester.short <= 0.05 && tester.short >= tester.nominal
    ? { tester, wrong: null }
    : {
        tester: null,
        wrong: 'A tester gives 0.1 to 50 mA, into a short no less than it holds its voltage with.',
      };
}

/** A figure with its label; wide enough to be read beside others on a phone. */
function Figure({
  label,
  placeholder,
  value,
  onChange,
}: {
  label: string;
  placeholder: string;
  value: string;
  onChange: (value: string) => void;
}) {
  return (
    <Field style={{ flex: '1 1 150px' }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        autoComplete="off"
        placeholder={placeholder}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </Field>
  );
}

/** A test with an insulation tester: what is clipped, then figures typed or streamed. */
interface Draft extends ClipDraft {
  /** The proposed part that the form was opened with: another proposal begins anew. */
  proposed: string;
  /** Null until somebody types one: then it is this workshop's usual one. */
  setV: string | null;
  rows: Record<number, string>;
  volts: string;
  temperature: string;
  humidity: string;
  /** The tester met a voltage and gave none. */
  met: string;
  mounted: boolean;
  wetted: boolean;
  /** The clips were proven to touch metal; null until somebody says. */
  contact: boolean | null;
}

export function TesterForm({
  preset,
  part,
  onDone,
}: {
  preset: NextSplit | null;
  /** A part that is no module, which the form was opened for. */
  part: OtherPart | null;
  onDone: () => void;
}) {
  const { job, pack, person } = useJobView();
  const { data: safety } = useSafety(job.number);
  const { data: instruments } = useInstruments();
  const testers = (instruments ?? []).filter((i) => i.kind === 'insulation-tester');
  const [picked, setPicked] = useState('');
  const tester = testers.find((i) => i.id === picked) ?? testers[0];
  const bounds = testVoltageBounds(pack);
  const ownV = useWorkshop().data?.testV ?? 0;
  // The least usual step that is neither below what the pack has at work nor below this workshop's own.
  const usual = String(
    Math.min(bounds.mostV, [250, 500, 1000].find((v) => v >= Math.max(bounds.leastV, ownV)) ?? bounds.mostV),
  );
  const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
  // What is half typed is kept with the part it was read at: for another part it would be a false reading.
  const proposed = preset?.modules.join(' to ') ?? part ?? '';
  const fresh: Draft = {
    proposed,
    part: part ? 'other' : 'section',
    from: preset?.modules[0] ?? order[0]!,
    to: preset?.modules[1] ?? order[order.length - 1]!,
    module: order[0]!,
    piece: '',
    which: part ?? 'contactor board',
    terminals: null,
    setV: null,
    rows: {},
    volts: '',
    temperature: '',
    humidity: '',
    met: '',
    mounted: true,
    wetted: false,
    contact: null,
  };
  const [kept, setKept, forget] = useDraft<Draft>(`${job.number}.tester.test`, fresh);
  const draft = proposed !== '' && kept.proposed !== proposed ? fresh : { ...fresh, ...kept };
  const { from, to, rows, volts, temperature, humidity, mounted, wetted, contact } = draft;
  const setV = draft.setV ?? usual;
  const set = (change: Partial<Draft>): void => setKept({ ...draft, ...change });
  const [off, setOff] = useState(false);
  const [nominal, setNominal] = useDraft(`${job.number}.tester.nominal`, '');
  const [short, setShort] = useDraft(`${job.number}.tester.short`, '');
  const [streamed, setStreamed] = useState<SeriesPoint[]>([]);
  const { add, busy, problem } = useAdd();
  const stream = useWrite();
  const answer = useWrite();
  usePassing((m) => {
    if (m.topic === 'tester' && m.job === job.number) setStreamed((s) => [...s, m.point]);
  });
  const unread = MARKS.find((t) => (rows[t] ?? '').trim() !== '' && reading(rows[t]!) === null);
  const gives = currentOf(nominal, short);
  const clip = clipOf(pack, draft, safety?.linksOut ?? []);
  useShowReach(job.gate.holds ? clip.reach : null);
  const humid = figure(humidity);
  const metV = figure(draft.met);
  /** What a test is told with, typed or run. */
  const told = {
    tested: clip.tested,
    setV: Number(setV),
    temperatureC: figure(temperature),
    mounted,
    ...(clip.asksPole && draft.terminals ? { terminals: draft.terminals } : {}),
    contactProven: contact,
    openLinks: clip.open,
    ...(wetted ? { wetted } : {}),
    ...(humid !== null ? { humidityPercent: humid } : {}),
  };
  const unsaid =
    (clip.tested.part === 'inside' && clip.tested.piece === '') ||
    contact === null ||
    (clip.asksPole && draft.terminals === null);
  const shownV = figure(volts);
  const points: SeriesPoint[] = MARKS.flatMap((timeS) => {
    const read = reading(rows[timeS] ?? '');
    return read === null ? [] : [{ timeS, ...read, voltageV: shownV }];
  });
  if (points.length === 0 && shownV !== null) points.push({ timeS: 30, ohm: null, voltageV: shownV });
  const pullLinks = async (): Promise<boolean> => {
    for (const link of clip.pull)
      if (!(await add({ observation: { kind: 'link', link, open: true } }))) return false;
    return true;
  };
  const record = async (confirmed: boolean): Promise<void> => {
    if (!(await pullLinks())) return;
    const ok = await add({
      observation: {
        kind: 'tester',
        ...told,
        points: metV === null ? points : [],
        ...(metV === null ? {} : { lockedOutV: metV }),
        ...(gives.tester && { tester: gives.tester }),
      },
      managementDisconnected: off,
      confirmed,
    });
    if (!ok) return;
    forget();
    onDone();
  };
  const run = async (): Promise<void> => {
    if (!(await pullLinks())) return;
    setStreamed([]);
    const done = await stream.run('/insulation/stream', {
      ...told,
      seconds: 60,
      managementDisconnected: off,
      instrumentId: tester!.id,
    });
    if (!done) return;
    forget();
    onDone();
  };
  const last = streamed[streamed.length - 1];
  if (!job.gate.holds)
    return (
      <Sheet>
        <Stack>
          <h2>Closed by the gate</h2>
          <p>A test voltage goes on only after the pack is proven dead. {job.gate.why}</p>
          <div>
            <LinkButton to={`/jobs/${job.number}/make-safe`}>Make safe</LinkButton>
          </div>
        </Stack>
      </Sheet>
    );
  return (
    <Sheet>
      <Stack>
        <h2>
          {preset && draft.part === 'section'
            ? `Test ${from === to ? from : `${from} to ${to}`}`
            : 'What is clipped to the tester?'}
        </h2>
        <ClipFields
          order={order}
          draft={draft}
          clip={clip}
          onChange={(change) => {
            // What was read before anybody said at which pole is kept; read at another pole it would be false.
            const said = change.terminals !== undefined && draft.terminals === null;
            set(said ? change : { terminals: null, ...change, rows: {}, volts: '' });
          }}
        />
        <Tick isSelected={off} onChange={setOff}>
          Management unit and sense plugs are disconnected: a test voltage would destroy them
        </Tick>
        <Row>
          <span>Clips touched together first, the tester read 0</span>
          <Chips
            selectionMode="single"
            selectedKeys={contact === null ? [] : [contact ? 'yes' : 'no']}
            onSelectionChange={(k) => set({ contact: k.size === 0 ? null : [...k][0] === 'yes' })}
            aria-label="Contact proven"
          >
            <ToggleButton id="yes">It read 0</ToggleButton>
            <ToggleButton id="no">Not done</ToggleButton>
          </Chips>
        </Row>
        <Row style={{ alignItems: 'end' }}>
          <Figure
            label={`Test voltage, ${fixed(bounds.leastV, 0)} to ${fixed(bounds.mostV, 0)} V`}
            placeholder="500"
            value={setV}
            onChange={(v) => set({ setV: v })}
          />
          <Figure
            label="Voltage reached, V"
            placeholder="500"
            value={volts}
            onChange={(v) => set({ volts: v })}
          />
          <Figure
            label="Temperature, °C"
            placeholder="as measured"
            value={temperature}
            onChange={(v) => set({ temperature: v })}
          />
          <Figure
            label="Humidity, %"
            placeholder="if known"
            value={humidity}
            onChange={(v) => set({ humidity: v })}
          />
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[mounted ? 'mounted' : 'loose']}
            onSelectionChange={(k) => set({ mounted: [...k][0] === 'mounted' })}
            aria-label="Mounted or loose"
            style={{ alignSelf: 'end' }}
          >
            <ToggleButton id="mounted">As mounted</ToggleButton>
            <ToggleButton id="loose">Loose</ToggleButton>
          </Chips>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[wetted ? 'wet' : 'dry']}
            onSelectionChange={(k) => set({ wetted: [...k][0] === 'wet' })}
            aria-label="Dry or wetted"
            style={{ alignSelf: 'end' }}
          >
            <ToggleButton id="dry">Dry</ToggleButton>
            <ToggleButton id="wet">After wetting</ToggleButton>
          </Chips>
        </Row>
        <Grid role="group" aria-label="Resistance at each time">
          {MARKS.map((t) => (
            <Field key={t}>
              {t < 60 ? `${t} s` : `${t / 60} min`}
              <Input
                className="n"
                autoComplete="off"
                placeholder={t === 60 ? '2.1G' : ''}
                value={rows[t] ?? ''}
                onChange={(e) => set({ rows: { ...rows, [t]: e.target.value } })}
              />
            </Field>
          ))}
        </Grid>
        <Mute>
          Resistance as shown, with prefix: 6.2k, 482M, 2.1G; over the range &gt;4G. A meter that is pinned:
          only the voltage reached.
        </Mute>
        {unread !== undefined && (
          <ProblemNote
            what={
              /^o\.?l\.?$/i.test(rows[unread]!.trim())
                ? 'OL says only that the range ended.'
                : `“${rows[unread]}” is no resistance.`
            }
            where={unread < 60 ? `at ${unread} s` : `at ${unread / 60} min`}
            accepted={
              /^o\.?l/i.test(rows[unread]!.trim())
                ? 'How far this tester reads, with a sign: >4G.'
                : 'A figure with prefix: 6.2k, 482M, 2.1G.'
            }
          />
        )}
        <Row>
          <Figure
            label="The tester holds its voltage up to, mA"
            placeholder="1"
            value={nominal}
            onChange={setNominal}
          />
          <Figure label="Into a short, mA" placeholder="15 at most" value={short} onChange={setShort} />
        </Row>
        <Row style={{ alignItems: 'end' }}>
          <Figure
            label="It met a voltage and gave none, V"
            placeholder="if so"
            value={draft.met}
            onChange={(v) => set({ met: v })}
          />
          {metV !== null && (
            <Mute style={{ flex: 3 }}>
              Recorded as no test. What holds a voltage to chassis is a sign of a leak: measure both ends of
              this part to chassis, under Voltages.
            </Mute>
          )}
        </Row>
        {gives.wrong && <ProblemNote what={gives.wrong} accepted="From its plate, or leave both empty." />}
        {problem && (
          <>
            <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />
            {problem.code === 'query' && (
              <div>
                <Button quiet isDisabled={busy} onPress={() => void record(true)}>
                  The figures stand as they are
                </Button>
              </div>
            )}
          </>
        )}
        {stream.problem && <ProblemNote what={stream.problem.what} accepted={stream.problem.accepted} />}
        {stream.problem?.code === 'query' && (
          <div>
            <Button
              quiet
              isDisabled={answer.busy}
              onPress={() => {
                const { runId } = stream.problem!.current as { runId: string };
                void answer.run(`/insulation/runs/${runId}/stands`, {}).then((ok) => ok !== null && onDone());
              }}
            >
              The figures stand as they are
            </Button>
          </div>
        )}
        {answer.problem && <ProblemNote what={answer.problem.what} accepted={answer.problem.accepted} />}
        {stream.busy && (
          <p>
            <b className="n">
              {last
                ? `${fixed(last.timeS, 0)} s, ${ohms(last.ohm ?? 0)}, ${fixed(last.voltageV ?? 0, 0)} V`
                : 'Voltage going up …'}
            </b>
          </p>
        )}
        <Row>
          <Button
            isDisabled={
              busy ||
              stream.busy ||
              !off ||
              (points.length === 0 && metV === null) ||
              unsaid ||
              unread !== undefined ||
              gives.wrong !== null ||
              !person.mayWrite ||
              !(Number(setV) > 0)
            }
            onPress={() => void record(false)}
          >
            Record test
          </Button>
          {tester && testers.length > 1 && (
            <Select aria-label="Instrument" value={tester.id} onChange={(e) => setPicked(e.target.value)}>
              {testers.map((i) => (
                <option key={i.id} value={i.id}>
                  {i.name}
                </option>
              ))}
            </Select>
          )}
          {tester && (
            <Button
              quiet
              isDisabled={
                busy || stream.busy || !off || unsaid || !person.mayWrite || tester.busyWith !== null
              }
              onPress={() => void run()}
            >
              {stream.busy
                ? 'Running …'
                : tester.busyWith
                  ? `${tester.name} is busy`
                  : `Run on ${tester.name}`}
            </Button>
          )}
          <Button quiet onPress={onDone}>
            Leave it
          </Button>
        </Row>
      </Stack>
    </Sheet>
  );
}
