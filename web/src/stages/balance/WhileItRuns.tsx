import type { MeasurePart, PartHistory, StockPart } from '@cellmend/contract/stock';
import { movedOf, remainingToLevel, type BalancePlan } from '@cellmend/core/balance';
import { ocvCurve } from '@cellmend/core/pack';
import useSWR from 'swr';
import { get } from '../../api/client';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useStockWrite } from '../../stock/useStockWrite';
import { Field, Input } from '../../ui/Field';
import { Button, DataTable, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { duration, fixed, signed, when } from '../../ui/words';

const number = (text: string): number => (text.trim() === '' ? NaN : Number(text.trim().replace(',', '.')));
/** A neighbour's rested voltage is read to this, V a cell: two standard deviations. From memory. */
const READS_V = 0.002;
/** A capacity that was measured by itself is known to this share. From memory. */
const KNOWN = 0.02;

/** Rests on the way of a balancing, and what they say of how long it still takes; each makes it surer. */
export function WhileItRuns({
  donor,
  plan,
  cells,
  currentA,
}: {
  donor: StockPart;
  plan: BalancePlan;
  cells: number;
  currentA: number;
}) {
  const { job, pack, person } = useJobView();
  const path = `/stock/${donor.id}`;
  const { data } = useSWR<PartHistory>(path, get);
  const write = useStockWrite();
  const [t, setT, , restart] = useDraft(`${job.number}.${donor.id}.on-the-way`, { moved: '', volts: '' });
  const told = (data?.readings ?? [])
    .filter((r) => r.kind === 'voltage' && r.value !== null)
    .flatMap((r) => {
      const movedAh = movedOf(r.text);
      return movedAh === null ? [] : [{ movedAh, restV: r.value!, at: r.at, by: r.by }];
    })
    .sort((a, b) => (a.at < b.at ? -1 : 1));
  // A new beginning is a new balancing.
  const rests = told.slice(
    Math.max(
      0,
      told.findLastIndex((r) => r.movedAh === 0),
    ),
  );
  const begun = rests[0]?.movedAh === 0;
  const sign = begun
    ? rests[0]!.restV < plan.targetModuleV
      ? 1
      : -1
    : plan.direction === 'discharge'
      ? -1
      : 1;
  const curve = ocvCurve(pack.profile.ocv);
  const [low, high] = curve.socInterval(plan.targetModuleV / cells, READS_V);
  const left =
    begun && currentA > 0
      ? remainingToLevel(pack.profile, cells, rests, {
          socTarget: plan.socTarget,
          targetSd: (high - low) / 4,
          capacityAh:
            donor.capacityAh === null ? null : { value: donor.capacityAh, sd: KNOWN * donor.capacityAh },
          currentA,
        })
      : null;
  const keep = async (restVoltageV: number, movedAh: number): Promise<void> => {
    const body: MeasurePart = { restVoltageV, movedAh };
    if (await write.run(`${path}/figures`, body)) restart();
  };
  const [moved, volts] = [number(t.moved), number(t.volts)];
  const right =
    moved > 0 && volts > 0 && (rests.length === 0 || moved > Math.abs(rests.at(-1)!.movedAh) - 1e-9);
  if (plan.direction === 'none' && !begun) return null;
  const level = left !== null && Math.abs(left.ah) <= left.halfWidthAh;
  return (
    <Sheet aria-label="While it runs">
      <Stack $gap={10}>
        <h3>While it runs</h3>
        {!begun && (
          <Row style={{ alignItems: 'flex-end' }}>
            <span style={{ flex: '1 1 220px' }}>
              Each rest on the way, two hours after the current, makes the rest of it surer.
            </span>
            {person.mayWrite && (
              <>
                <Field style={{ flex: '0 1 150px' }}>
                  Rested now at, V
                  <Input
                    className="n"
                    inputMode="decimal"
                    value={t.volts}
                    onChange={(e) => setT({ ...t, volts: e.target.value })}
                  />
                </Field>
                <Button quiet isDisabled={!(volts > 0) || write.busy} onPress={() => void keep(volts, 0)}>
                  It begins now
                </Button>
              </>
            )}
          </Row>
        )}
        {left && (
          <p>
            <b>
              {level
                ? 'Level, as far as its voltage can tell.'
                : `${duration(left.hours)} still, give or take ${duration(left.halfWidthHours)}: ${fixed(Math.abs(left.ah), 1)} ± ${fixed(left.halfWidthAh, 1)} A·h at ${fixed(currentA, 1)} A.`}
            </b>{' '}
            {rests.length > 1 &&
              `By its own charge and voltages it holds ${fixed(left.capacityAh, 1)} ± ${fixed(left.capacityHalfWidthAh, 1)} A·h.`}
          </p>
        )}
        {left?.misfit && (
          <ProblemNote
            what={`Its charge and its voltages do not go together${donor.capacityAh === null ? '' : `, nor with the ${fixed(donor.capacityAh, 1)} A·h that were measured`}.`}
            accepted="The count of the supply, a rest of two hours, and whether it is the same module."
          />
        )}
        {begun && (
          <DataTable>
            <thead>
              <tr>
                <th>Rested</th>
                <th className="r">A·h moved</th>
                <th className="r">Volts</th>
                <th>By</th>
              </tr>
            </thead>
            <tbody>
              {rests.map((r) => (
                <tr key={r.at}>
                  <td>{when(r.at)}</td>
                  <td className="r">{signed(r.movedAh, 1)}</td>
                  <td className="r">{fixed(r.restV, 3)}</td>
                  <td>
                    <Mute>{r.by}</Mute>
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        )}
        {begun && person.mayWrite && (
          <Row style={{ alignItems: 'flex-end' }}>
            <Field style={{ flex: '1 1 140px' }}>
              A·h moved since it began
              <Input
                className="n"
                inputMode="decimal"
                value={t.moved}
                onChange={(e) => setT({ ...t, moved: e.target.value })}
              />
            </Field>
            <Field style={{ flex: '1 1 140px' }}>
              Rested at, V
              <Input
                className="n"
                inputMode="decimal"
                value={t.volts}
                onChange={(e) => setT({ ...t, volts: e.target.value })}
              />
            </Field>
            <Button isDisabled={!right || write.busy} onPress={() => void keep(volts, sign * moved)}>
              Record the rest
            </Button>
          </Row>
        )}
        {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      </Stack>
    </Sheet>
  );
}
