import { NEAR_V, waysToLevel, type BalancePlan, type WaysAsk } from '@cellmend/core/balance';
import { InputProblem, type Pack } from '@cellmend/core/pack';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Field, Input } from '../../ui/Field';
import { DataTable, Mute, Row, Sheet, Stack } from '../../ui/parts';
import { duration, fixed, percent } from '../../ui/words';

interface Way {
  name: string;
  hours: string;
  first: string;
  says: string;
}
const number = (text: string): number => Number(text.trim().replace(',', '.'));

/** What each way takes and what to watch at it. */
function waysOf(
  pack: Pack,
  plan: BalancePlan,
  ask: Pick<WaysAsk, 'groups' | 'internalOhm' | 'currentA' | 'leadOhm' | 'resistorOhm'>,
): Way[] {
  const span = Math.abs(plan.socTarget - plan.socNow);
  const ways = waysToLevel(pack.profile, {
    ...ask,
    capacityAh: span > 1e-6 ? plan.chargeAh / span : 0,
    socNow: plan.socNow,
    socTarget: plan.socTarget,
    supplyLimitV: plan.supplyLimitV,
  });
  const { supply, resistor, neighbour: n } = ways;
  const out: Way[] = [];
  if (supply)
    out.push({
      name: 'Bench supply',
      hours: supply.hours === null ? 'never there' : duration(supply.hours),
      first: `${fixed(supply.firstA, 1)} A`,
      says:
        supply.hours === null
          ? `At ${fixed(plan.supplyLimitV, 2)} V it ends at ${percent(supply.endsAtSoc)}: the limit is too low.`
          : `Full current for ${duration(supply.fullCurrentHours)}, then it dies away, to within ${NEAR_V * 1000} mV a group. Somebody within call.`,
    });
  if (resistor)
    out.push({
      name: 'Resistor',
      hours: duration(resistor.hours),
      first: `${fixed(resistor.firstA, 1)} A`,
      says: `${fixed(resistor.firstW, 0)} W at first. It does not stop by itself: never alone, a clock set.`,
    });
  out.push({
    name: 'Beside a neighbour',
    hours: duration(n.hours),
    first: `${fixed(n.bareA, 0)} A bare`,
    says: `${n.between > 0.001 ? `Through ${fixed(n.between * 1000, 0)} mΩ it begins at ${fixed(ask.currentA, 1)} A. ` : ''}Both meet at ${percent(n.meetSoc)}: the neighbour comes ${percent(n.neighbourOff)} off. Like modules alone, fused.`,
  });
  out.push({
    name: 'The vehicle’s bleeders',
    hours: duration(plan.bleederHours),
    first: '–',
    says: `Only while it is awake, mostly near full; burns charge in ${plan.bleederBurns}. May refuse to drive meanwhile.`,
  });
  return out;
}

/** The ways to bring it level, side by side. */
export function Methods({
  plan,
  groups,
  milliohm,
  currentA,
}: {
  plan: BalancePlan;
  groups: number;
  /** Of one group, as measured; null where nobody did. */
  milliohm: number | null;
  currentA: number;
}) {
  const { job, pack } = useJobView();
  const [t, setT] = useDraft(`${job.number}.balance-ways`, { leads: '20', resistor: '2.2' });
  if (plan.direction === 'none') return null;
  const ohm = ((milliohm ?? pack.profile.nominalGroupResistanceMilliohm) / 1000) * groups;
  let ways: Way[] = [];
  let problem = '';
  const [leadOhm, resistorOhm] = [number(t.leads) / 1000, number(t.resistor)];
  if (!(leadOhm >= 0 && resistorOhm > 0 && currentA > 0)) problem = 'Leads, resistor and current above zero.';
  else
    try {
      ways = waysOf(pack, plan, { groups, internalOhm: ohm, currentA, leadOhm, resistorOhm });
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      problem = e.what;
    }
  return (
    <Sheet aria-label="Ways to bring it level">
      <Stack $gap={10}>
        <Row style={{ flexWrap: 'wrap', alignItems: 'flex-end' }}>
          <h3 style={{ flex: '1 1 200px' }}>Ways to bring it level</h3>
          <Field style={{ flex: '0 1 120px' }}>
            Leads, mΩ
            <Input
              className="n"
              inputMode="decimal"
              value={t.leads}
              onChange={(e) => setT({ ...t, leads: e.target.value })}
            />
          </Field>
          {plan.direction === 'discharge' && (
            <Field style={{ flex: '0 1 120px' }}>
              Resistor, Ω
              <Input
                className="n"
                inputMode="decimal"
                value={t.resistor}
                onChange={(e) => setT({ ...t, resistor: e.target.value })}
              />
            </Field>
          )}
        </Row>
        {problem !== '' && <small role="alert">{problem}</small>}
        <DataTable>
          <thead>
            <tr>
              <th>Way</th>
              <th className="r">Takes</th>
              <th className="r">At first</th>
              <th>What to watch</th>
            </tr>
          </thead>
          <tbody>
            {ways.map((w) => (
              <tr key={w.name}>
                <td>
                  <b>{w.name}</b>
                </td>
                <td className="r">{w.hours}</td>
                <td className="r">{w.first}</td>
                <td>
                  <Mute>{w.says}</Mute>
                </td>
              </tr>
            ))}
          </tbody>
        </DataTable>
        {(milliohm === null || plan.atMost) && (
          <Mute>
            {[
              milliohm === null ? 'Its resistance is not measured: reckoned with that of a new one' : '',
              plan.atMost ? 'its capacity is not measured: times are at most these' : '',
            ]
              .filter(Boolean)
              .join('; ')}
            .
          </Mute>
        )}
      </Stack>
    </Sheet>
  );
}
