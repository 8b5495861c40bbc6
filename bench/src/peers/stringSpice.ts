import { type SimAnswer, type SimAsk } from '@cellmend/core/balance';
import { ngspice } from '../../../e2e/src/ngspice';

/** A signal that steps as SPICE's PWL source wants it: edges of a second, the same late at either end. */
const steps = (events: readonly (readonly [number, number])[]): string => {
  const EDGE = 1;
  const points: string[] = ['0 0'];
  let value = 0;
  for (const [t, v] of events) {
    points.push(`${Math.max(t, 1e-6)} ${value}`, `${Math.max(t, 1e-6) + EDGE} ${v}`);
    value = v;
  }
  return points.join(' ');
};

/**
 * The same string as a circuit for Debian's ngspice: of each group a capacitor that holds its charge, a source of its rest voltage,
 * R₀, R₁ ∥ C₁ and a bleeder behind a gate; all with the same current source. The current and the gates are the ones that the
 * simulation under test chose, so that what is compared is the circuit. Groups in series share their current alone: each stands
 * on its own ground, which keeps SPICE's relative tolerance to a cell's volts.
 * @returns volts of every group at the end, at rest and with its gate as it was
 */
export function stringByNgspice(ask: SimAsk, { bled, flowed }: Pick<SimAnswer, 'bled' | 'flowed'>): number[] {
  const end = 3600 * ask.days * ask.day.reduce((h, s) => h + s.hours, 0);
  const lines = [
    `Vi cur 0 PWL(${steps(
      flowed.flatMap(([from, to, a], k): [number, number][] =>
        flowed[k + 1]?.[0] === to
          ? [[from, a]]
          : [
              [from, a],
              [to, 0],
            ],
      ),
    )})`,
  ];
  const table = ask.ocv.map(([s, v]) => `${s},${v}`).join(', ');
  ask.groups.forEach((g, i) => {
    const gates = bled.filter((b) => b[2] === i).sort((a, b) => a[0] - b[0]);
    const events = gates
      .flatMap(([from, to]): [number, number][] => [
        [from, 1],
        [to, 0],
      ])
      .filter(([t]) => t < end);
    lines.push(
      `Vg${i} g${i} 0 PWL(${steps(events)})`,
      `Cq${i} q${i} 0 ${3600 * g.capacityAh} ic=${g.soc}`,
      `Bq${i} q${i} 0 I=i(Vs${i})`,
      `Bo${i} o${i} 0 V=pwl(v(q${i}), ${table})`,
      `Vs${i} o${i} a${i} 0`,
      `Ra${i} a${i} b${i} ${g.ohm}`,
      `Rb${i} b${i} p${i} ${g.slowOhm}`,
      `Cb${i} b${i} p${i} ${ask.slowS / g.slowOhm} ic=0`,
      `Bi${i} p${i} 0 I=v(cur)+v(g${i})*v(p${i})*${ask.bleedDuty ?? 1}/${ask.bleedOhm}`,
    );
  });
  const printed = ask.groups.map((_, i) => `print v(p${i})[length(time)-1]`).join('\n');
  const found = ngspice(
    lines.join('\n') + '\n.options reltol=1e-5 abstol=1e-4 vntol=1e-6 chgtol=1e-3',
    `tran 120 ${end} 0 300 uic\n${printed}`,
  );
  return ask.groups.map((_, i) => found.get(`v(p${i})[length(time)-1]`)!);
}
