import { testedLabel, type InsulationObservation } from '@cellmend/core/insulation';
import { parseQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { fixed, ohms } from '../../ui/words';

/** An observation in one line. */
export function say(o: InsulationObservation): string {
  switch (o.kind) {
    case 'vehicle':
      return `The vehicle shows ${o.ohm !== null ? ohms(o.ohm) : `${o.signalV} V of signal`}`;
    case 'poles':
      return `− to chassis ${fixed(o.negativeV, 1)} V, + to chassis ${fixed(o.positiveV, 1)} V of ${fixed(o.packV, 1)} V, meter ${ohms(o.meterOhm)} (${{ whole: 'pack in the vehicle', pack: 'pack alone', vehicle: 'vehicle side' }[o.side]})`;
    case 'known-resistor':
      return `V1 ${fixed(o.v1, 1)} V at the ${o.higher} pole, V2 ${fixed(o.v2, 1)} V, with ${ohms(o.r0Ohm)} ${fixed(o.v1WithR0, 1)} V`;
    case 'tester': {
      const last = o.points[o.points.length - 1]!;
      return `${o.setV} V on ${testedLabel(o.tested)}: ${last.ohm === null ? 'pinned' : ohms(last.ohm)} at ${last.timeS} s${last.voltageV === null ? '' : `, ${fixed(last.voltageV, 0)} V`}`;
    }
    case 'seen':
      return `${o.evidence} at ${o.module}`;
    case 'answer':
      return `${o.question}: ${o.yes ? 'yes' : 'no'}`;
    case 'fuse':
      return `${o.fuse} fuse ${o.ohm === null ? 'open' : ohms(o.ohm)}`;
    case 'chassis-voltage':
      return `At the proof of absence: + to chassis ${fixed(o.plusChassisV, 1)} V, − to chassis ${fixed(o.minusChassisV, 1)} V`;
    case 'link':
      return `Link ${o.link} ${o.open ? 'out' : 'back in'}`;
  }
}

/** A number with prefix and unit, or null while it cannot be read. */
export function figure(text: string): number | null {
  if (text.trim() === '') return null;
  try {
    return parseQuantity(text).value;
  } catch (e) {
    if (e instanceof InputProblem) return null;
    throw e;
  }
}
