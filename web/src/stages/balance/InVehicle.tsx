import type { BalancePlan, DayEnd, SimGroup } from '@cellmend/core/balance';
import { limitOf, limitValue, ocvCurve, valueOf } from '@cellmend/core/pack';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { decisionOf, useStock } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWorker } from '../../shell/useWorker';
import { Field, Input } from '../../ui/Field';
import { Mute, Row, Sheet, Stack } from '../../ui/parts';
import { distance, temperature } from '../../ui/units';
import { duration, fixed, percent } from '../../ui/words';
import type { VehicleAnswer, VehicleQuestion } from './vehicleWorker';

/** Looked ahead so far. */
const DAYS = 60;
/** Slow voltage of a cell, and its share of the resistance; a bleeder begins this far above the lowest. From memory. */
const SLOW_S = 60;
const SLOW_SHARE = 0.7;
const BLEEDS_ABOVE_V = 0.005;
/** Heat capacity of modules, and what a closed pack gives off to still air. From memory. */
const J_PER_KG_K = 900;
const W_PER_K = 3;
const AMBIENT_C = 20;
/** A vehicle of nobody's figures counts as level within this, mV. Common practice, no source. */
const LEVEL_MV = 20;

const number = (text: string): number => (text.trim() === '' ? NaN : Number(text.trim().replace(',', '.')));
const work = (): Worker => new Worker(new URL('./vehicleWorker.ts', import.meta.url), { type: 'module' });

/** What becomes of it in the vehicle, by the owner's use: when it drives again, and when its bleeders have it level. */
export function InVehicle({
  plan,
  moduleId,
  packSoc,
  newcomerAh,
  newcomerMilliohm,
  bleederMa,
  report,
}: {
  plan: BalancePlan;
  moduleId: string;
  packSoc: number;
  /** What the newcomer holds; null where nobody measured it. */
  newcomerAh: number | null;
  newcomerMilliohm: number | null;
  bleederMa: number;
  report: SpreadReport | null;
}) {
  const { job, pack } = useJobView();
  const [t, setT] = useDraft(`${job.number}.in-vehicle`, {
    drivenAh: '',
    drivenH: '',
    chargeA: '',
    chargeH: '',
  });
  const f = {
    drivenAh: number(t.drivenAh),
    drivenH: number(t.drivenH),
    chargeA: number(t.chargeA),
    chargeH: number(t.chargeH),
  };
  const profile = pack.profile;
  const measuredAh = report ? valueOf(report.capacityAh) : null;
  const packAh = measuredAh ?? profile.ratedCapacityAh;
  const right =
    Object.values(f).every((v) => v > 0) &&
    f.drivenH + f.chargeH <= 23 &&
    f.drivenAh < packAh &&
    bleederMa > 0;
  // Every other newcomer that is chosen counts as it lies on the shelf; one that nobody measured as the pack around it.
  const { data: stock } = useStock();
  const curve = ocvCurve(profile.ocv);
  const others = (decisionOf(job, 'match')?.body.choices ?? [])
    .filter((c) => c.place !== moduleId)
    .flatMap(({ place, partId }) => {
      const donor = stock?.find((s) => s.id === partId);
      const module = pack.modules.find((m) => m.id === place);
      if (!donor || !module || donor.restVoltageV === null) return [];
      const cells = module.groupIndices.length;
      return [
        { place, groups: new Set(module.groupIndices), donor, soc: curve.socAt(donor.restVoltageV / cells) },
      ];
    });
  const inPlace = new Set(pack.modules.find((m) => m.id === moduleId)?.groupIndices ?? []);
  const groupOhm = profile.nominalGroupResistanceMilliohm / 1000;
  const groups = pack.groups.map((g, i): SimGroup => {
    const own = report?.channels.find((c) => c.channelIndex === g.channelIndex);
    const other = others.find((o) => o.groups.has(i));
    if (other)
      return {
        capacityAh: other.donor.capacityAh ?? packAh,
        soc: other.soc,
        ohm: other.donor.resistanceMilliohm === null ? groupOhm : other.donor.resistanceMilliohm / 1000,
        slowOhm: groupOhm * SLOW_SHARE,
      };
    return inPlace.has(i)
      ? {
          capacityAh: newcomerAh ?? packAh,
          soc: plan.socNow,
          ohm: newcomerMilliohm === null ? groupOhm : newcomerMilliohm / 1000,
          slowOhm: groupOhm * SLOW_SHARE,
        }
      : {
          capacityAh: packAh * (own?.capacityRatio?.value ?? 1),
          soc: Math.min(1, packSoc + (own?.deltaSoc.value ?? 0)),
          ohm: groupOhm * (own?.resistanceRatio?.value ?? 1),
          slowOhm: groupOhm * SLOW_SHARE,
        };
  });
  const blocksMv = limitOf(profile, 'driveBlockingMv')?.value ?? null;
  const restH = (24 - f.drivenH - f.chargeH) / 2;
  const massKg = pack.modules.reduce((s, m) => s + (m.massKg ?? NaN), 0);
  const question: VehicleQuestion | null = right
    ? {
        withinV: LEVEL_MV / 1000,
        ask: {
          ocv: profile.ocv,
          groups,
          slowS: SLOW_S,
          bleedOhm: limitValue(profile, 'cellFullV') / (bleederMa / 1000),
          bleedAboveV: BLEEDS_ABOVE_V,
          // Awake only while it charges: the careful choice.
          bleedWhile: ['charge'],
          day: [
            { what: 'charge', hours: f.chargeH, currentA: -f.chargeA },
            { what: 'rest', hours: restH, currentA: 0 },
            { what: 'drive', hours: f.drivenH, currentA: f.drivenAh / f.drivenH },
            { what: 'rest', hours: restH, currentA: 0 },
          ],
          days: DAYS,
          fullV: limitValue(profile, 'cellFullV'),
          emptyV: limitValue(profile, 'cellEmptyV'),
          blocksAboveV: blocksMv === null ? null : blocksMv / 1000,
          // Lumped, nothing cools it but the air around it: the careful choice.
          thermal: Number.isFinite(massKg)
            ? { ambientC: AMBIENT_C, jPerK: massKg * J_PER_KG_K, wPerK: W_PER_K }
            : undefined,
        },
      }
    : null;
  const { answer, failed, busy } = useWorker<VehicleAnswer>(work, question);
  const use = answer && 'use' in answer ? answer.use : null;
  const input = (key: keyof typeof t, label: string, example: string) => (
    <Field style={{ flex: '1 1 120px' }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        placeholder={example}
        value={t[key]}
        onChange={(e) => setT({ ...t, [key]: e.target.value })}
      />
    </Field>
  );
  const km = profile.ratedRangeKm ? (f.drivenAh / profile.ratedCapacityAh) * profile.ratedRangeKm : null;
  return (
    <Sheet aria-label="Left to the vehicle">
      <Stack $gap={10}>
        <h3>Left to the vehicle, by the owner’s use</h3>
        <Row style={{ alignItems: 'flex-end' }}>
          {input('drivenAh', 'A·h driven a day', '20')}
          {input('drivenH', 'in hours', '1.5')}
          {input('chargeA', 'Charged with, A', '8')}
          {input('chargeH', 'plugged in, h a day', '3')}
        </Row>
        {!right && (
          <Mute>
            Four figures of the owner: then it is told when it drives again, and when it is level. Charge is
            counted through the pack; less than {fixed(packAh, 0)} A·h a day.
          </Mute>
        )}
        {right && km !== null && Number.isFinite(km) && (
          <Mute>About {distance(km)} a day by the rated range.</Mute>
        )}
        {busy && question && <Mute>Sixty days are worked out …</Mute>}
        {(failed || (answer && 'problem' in answer)) && (
          <Mute>{answer && 'problem' in answer ? answer.problem : 'That could not be worked out.'}</Mute>
        )}
        {use && (
          <>
            <p>
              <b>
                {use.drivableAtH === null
                  ? `It refuses to drive for all of ${DAYS} days`
                  : use.drivableAtH > 0
                    ? `It drives after ${duration(use.drivableAtH)}`
                    : 'It drives at once'}
                {use.levelDay === null
                  ? `, and is not level within ${DAYS} days.`
                  : `, and is level on day ${use.levelDay}.`}
              </b>{' '}
              {use.missedFirst > 0.001 &&
                (use.drivableDay === null
                  ? `On the first day ${percent(use.missedFirst)} of the drive is missed; not all of it comes back.`
                  : `On the first day ${percent(use.missedFirst)} of the drive is missed, nothing from day ${use.drivableDay} on.`)}
            </p>
            <Days days={use.days} levelMv={LEVEL_MV} />
            <Mute>
              {use.hottestC === null
                ? 'How warm it gets is not told: the masses of its modules are not in the profile.'
                : `On the whole it warms to about ${temperature(use.hottestC)} with ${temperature(AMBIENT_C)} around it and nothing that cools it: by usual figures, not measured.`}
              {others.length > 0 &&
                ` Counted as they lie on the shelf: ${others.map((o) => `${o.donor.label} at ${o.place}`).join(', ')}.`}
            </Mute>
          </>
        )}
        {right && (
          <Mute>
            Bleeders of {fixed(bleederMa, 0)} mA, awake only while it charges; level within {LEVEL_MV} mV at
            rest
            {blocksMv === null
              ? '; its own limit for driving is not known'
              : `; it drives within ${blocksMv} mV`}
            .{report ? '' : ' The other groups count as level: nothing was scanned.'}
            {measuredAh === null || newcomerAh === null
              ? ' Capacity as rated where it is not measured.'
              : ''}{' '}
            Resistances as of a new pack where they are not measured.
          </Mute>
        )}
      </Stack>
    </Sheet>
  );
}

const [W, H] = [620, 92];
/** How far its groups lie apart at the end of each day. */
function Days({ days, levelMv }: { days: readonly DayEnd[]; levelMv: number }) {
  const most = Math.max(levelMv * 2, ...days.map((d) => 1000 * d.spreadV));
  const x = (day: number): number => 54 + ((day - 1) / Math.max(1, days.length - 1)) * (W - 66);
  const y = (mv: number): number => 8 + (1 - mv / most) * (H - 30);
  return (
    <div style={{ overflowX: 'auto' }} role="region" aria-label="Day by day" tabIndex={0}>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        style={{ width: '100%', minWidth: 540, height: 'auto' }}
        role="img"
        aria-label={`Apart at rest: ${fixed(1000 * days[0]!.spreadV, 0)} mV after the first day, ${fixed(1000 * days.at(-1)!.spreadV, 0)} after ${days.length}`}
      >
        <line
          x1={54}
          x2={W - 12}
          y1={y(levelMv)}
          y2={y(levelMv)}
          stroke="var(--mute)"
          strokeDasharray="4 3"
        />
        <line x1={54} x2={W - 12} y1={y(0)} y2={y(0)} stroke="var(--line)" />
        <polyline
          fill="none"
          stroke="var(--mat-text)"
          strokeWidth={2.4}
          points={days.map((d) => `${x(d.day)},${y(1000 * d.spreadV)}`).join(' ')}
        />
        {[most, levelMv].map((mv) => (
          <text key={mv} x={48} y={y(mv) + 4} textAnchor="end" fontSize={12.5} fill="var(--mute)">
            {fixed(mv, 0)} mV
          </text>
        ))}
        {[1, 15, 30, 45, 60].map((d) => (
          <text
            key={d}
            x={x(d)}
            y={H - 6}
            textAnchor={d === 1 ? 'start' : d === 60 ? 'end' : 'middle'}
            fontSize={12.5}
            fill="var(--mute)"
          >
            {d === 1 ? 'day 1' : d}
          </text>
        ))}
      </svg>
    </div>
  );
}
