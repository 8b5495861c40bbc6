import {
  VEHICLE_AFTER,
  vehicleTrend,
  type InsulationReport,
  type VehicleAfter,
  type VehicleReading,
} from '@cellmend/core/insulation';
import { limitValue } from '@cellmend/core/pack';
import { ToggleButton } from 'react-aria-components';
import {
  CartesianGrid,
  ReferenceLine,
  ResponsiveContainer,
  Scatter,
  ScatterChart,
  Tooltip,
  XAxis,
  YAxis,
} from 'recharts';
import { decisionOf, useInsulation } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useDraft, useNewest } from '../../shell/useDraft';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { day, ohms, when } from '../../ui/words';
import { useAdd } from './useAdd';
import { figure } from './view';

const EMPTY = {
  shown: '',
  at: '',
  temperature: '',
  pole: '' as '' | 'negative' | 'positive',
  after: '' as '' | VehicleAfter,
};
const WET: ReadonlySet<string> = new Set(['rain', 'washing']);

/** The vehicle's own figure, each time it was read, and where it is going. */
export function VehicleFigure({ leak }: { leak: InsulationReport | null }) {
  const { job, person, pack } = useJobView();
  const { data } = useInsulation(job.number);
  const [kept, setDraft] = useDraft(`${job.number}.vehicle-figure`, EMPTY);
  const draft = { ...EMPTY, ...kept };
  const set = (change: Partial<typeof EMPTY>): void => setDraft({ ...draft, ...change });
  const newest = useNewest(kept);
  const { add, busy, problem } = useAdd();
  const shown = figure(draft.shown);
  const temperatureC = figure(draft.temperature);
  const intake = decisionOf(job, 'intake');
  const readings = (data ?? [])
    .filter((e) => e.supersededBy === null)
    .flatMap((e): (VehicleReading & { told: string })[] => {
      const o = e.observation;
      if (o.kind !== 'vehicle' || o.ohm === null) return [];
      const after = o.after ? `after ${o.after}` : o.wetted ? 'after wetting' : '';
      const told = [after, o.fromScan && `in ${o.fromScan.name}`].filter(Boolean).join(', ');
      return [
        {
          at: o.readAt ?? e.at,
          ohm: o.ohm,
          pole: o.pole,
          wetted: o.wetted === true || WET.has(o.after ?? ''),
          told,
        },
      ];
    })
    .sort((a, b) => a.at.localeCompare(b.at));
  const record = async (): Promise<void> => {
    if (shown === null) return;
    const ok = await add({
      observation: {
        kind: 'vehicle',
        ...(/v/i.test(draft.shown) ? { ohm: null, signalV: shown } : { ohm: shown, signalV: null }),
        ...(draft.pole && { pole: draft.pole }),
        ...(draft.after && { after: draft.after }),
        ...(WET.has(draft.after) && { wetted: true }),
        ...(draft.at && { readAt: new Date(draft.at).toISOString() }),
        ...(temperatureC !== null && { temperatureC }),
      },
    });
    if (ok && newest.current === kept) setDraft(EMPTY);
  };
  const ours = leak?.sizes?.sources.find((s) => s.from === 'the known resistor') ?? null;
  const lastRead = readings.at(-1);
  return (
    <Sheet>
      <Stack>
        <h2>What does the vehicle itself show?</h2>
        <Row style={{ alignItems: 'end' }}>
          <Field style={{ flex: '1 1 150px' }}>
            The vehicle shows
            <Input
              className="n"
              autoComplete="off"
              placeholder="180k, or 2.4 V"
              value={draft.shown}
              onChange={(e) => set({ shown: e.target.value })}
            />
          </Field>
          <Field style={{ flex: '1 1 200px' }}>
            When, if not now
            <Input type="datetime-local" value={draft.at} onChange={(e) => set({ at: e.target.value })} />
          </Field>
          <Field style={{ flex: '1 1 110px' }}>
            Temperature, °C
            <Input
              className="n"
              inputMode="decimal"
              placeholder="if known"
              value={draft.temperature}
              onChange={(e) => set({ temperature: e.target.value })}
            />
          </Field>
        </Row>
        <Row>
          <Chips
            selectionMode="single"
            selectedKeys={draft.after ? [draft.after] : []}
            onSelectionChange={(k) => set({ after: ([...k][0] as VehicleAfter | undefined) ?? '' })}
            aria-label="Just before"
          >
            {VEHICLE_AFTER.map((a) => (
              <ToggleButton key={a} id={a}>
                After {a}
              </ToggleButton>
            ))}
          </Chips>
          <Chips
            selectionMode="single"
            selectedKeys={draft.pole ? [draft.pole] : []}
            onSelectionChange={(k) => set({ pole: ([...k][0] as 'negative' | 'positive' | undefined) ?? '' })}
            aria-label="Pole, where it tells"
          >
            <ToggleButton id="negative">− pole</ToggleButton>
            <ToggleButton id="positive">+ pole</ToggleButton>
          </Chips>
          <Button isDisabled={busy || !person.mayWrite || shown === null} onPress={() => void record()}>
            Record
          </Button>
        </Row>
        {draft.shown.trim() !== '' && shown === null && (
          <ProblemNote
            what={`“${draft.shown}” is no figure.`}
            accepted="A resistance or a signal: 180k, 2.4 V."
          />
        )}
        {problem && <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />}
        {intake?.body.insulationOhm != null && readings.length === 0 && (
          <div>
            <Button
              quiet
              isDisabled={busy || !person.mayWrite}
              onPress={() =>
                void add({
                  observation: {
                    kind: 'vehicle',
                    ohm: intake.body.insulationOhm,
                    signalV: null,
                    readAt: intake.signedAt,
                  },
                })
              }
            >
              {ohms(intake.body.insulationOhm)}, as at intake {day(intake.signedAt)}
            </Button>
          </div>
        )}
        {lastRead && ours && (
          <p>
            The vehicle shows {ohms(lastRead.ohm)}; a known resistor measured {ohms(ours.size.value)} (
            {ohms(ours.size.low)} to {ohms(ours.size.high)}).
          </p>
        )}
        {readings.length > 0 ? (
          <Course readings={readings} />
        ) : (
          <Mute>Each time it is read it joins a curve, with rain, washing and driving beside it.</Mute>
        )}
        <Trend readings={readings} stopOhm={limitValue(pack.profile, 'vehicleStopOhm')} />
      </Stack>
    </Sheet>
  );
}

/** Where the figure is going, in words. */
function Trend({ readings, stopOhm }: { readings: readonly VehicleReading[]; stopOhm: number }) {
  const { pack } = useJobView();
  const trend = vehicleTrend(readings, pack);
  if (!trend)
    return readings.length > 0 ? (
      <Mute>Four dry readings of one pole, over two days at least, tell whether it falls.</Mute>
    ) : null;
  const { stopsAt } = trend;
  return (
    <p>
      <b>{trend.says}</b>{' '}
      {stopsAt
        ? `At ${ohms(stopOhm)} the vehicle no longer starts: from ${day(stopsAt.early)} on${stopsAt.value ? `, most likely ${day(stopsAt.value)}` : ''}${stopsAt.late ? `, ${day(stopsAt.late)} at the latest` : ''} (nine in ten).`
        : `At ${ohms(stopOhm)} the vehicle no longer starts.`}{' '}
      <Mute>
        By {trend.count} dry readings, {`a straight line through their logarithms.`}
      </Mute>
    </p>
  );
}

/** Every reading over time on a log axis: dry ones filled, wet ones open, with the limits of the vehicle. */
function Course({ readings }: { readings: readonly (VehicleReading & { told: string })[] }) {
  const { pack } = useJobView();
  const [warn, stop] = (['vehicleWarnOhm', 'vehicleStopOhm'] as const).map((k) =>
    limitValue(pack.profile, k),
  );
  const all = [...readings.map((r) => r.ohm), stop!];
  const low = 10 ** Math.floor(Math.log10(Math.max(100, Math.min(...all)) * 0.7));
  const high = 10 ** Math.ceil(Math.log10(Math.max(...all, warn! * 1.5)));
  const ticks = [1, 2, 5].flatMap((k) => [1, 10, 100].map((d) => k * d * low)).filter((v) => v <= high);
  const of = (wetted: boolean) =>
    readings.filter((r) => r.wetted === wetted).map((r) => ({ ...r, t: Date.parse(r.at) }));
  return (
    <>
      <ResponsiveContainer width="100%" height={210}>
        <ScatterChart margin={{ top: 10, right: 60, bottom: 0, left: 0 }}>
          <CartesianGrid stroke="var(--line)" vertical={false} horizontalValues={ticks} />
          <XAxis
            dataKey="t"
            type="number"
            domain={['dataMin', 'dataMax']}
            tickFormatter={(t: number) => day(new Date(t).toISOString())}
            stroke="var(--mute)"
            fontSize={12.5}
            minTickGap={40}
          />
          <YAxis
            dataKey="ohm"
            scale="log"
            domain={[low, high]}
            ticks={ticks}
            interval={0}
            tickFormatter={(v: number) => ohms(v)}
            width={70}
            stroke="var(--mute)"
            fontSize={12.5}
            allowDataOverflow
          />
          {[
            { y: warn!, label: 'warns' },
            { y: stop!, label: 'stops' },
          ].map(({ y, label }) => (
            <ReferenceLine
              key={label}
              y={y}
              stroke="var(--ink)"
              strokeDasharray="2 3"
              label={{ value: label, position: 'right', fontSize: 12.5, fill: 'var(--ink)' }}
            />
          ))}
          <Tooltip
            cursor={false}
            content={({ payload }) => {
              const r = payload[0]?.payload as (VehicleReading & { told: string }) | undefined;
              return r ? (
                <Sheet>
                  {ohms(r.ohm)}, {when(r.at)}
                  {r.told && `, ${r.told}`}
                </Sheet>
              ) : null;
            }}
          />
          <Scatter data={of(false)} fill="var(--mat-text)" isAnimationActive={false} />
          <Scatter
            data={of(true)}
            fill="var(--sheet)"
            stroke="var(--sus)"
            strokeWidth={2}
            isAnimationActive={false}
          />
        </ScatterChart>
      </ResponsiveContainer>
      <Mute>Filled: dry. Open: after rain or washing, another state that no trend is taken with.</Mute>
    </>
  );
}
