import { ENTRY_ADVICE, testedLabel, type InsulationObservation } from '@cellmend/core/insulation';
import { parseQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { fixed, ohms, when } from '../../ui/words';

/** An observation in one line. */
export function say(o: InsulationObservation): string {
  switch (o.kind) {
    case 'vehicle':
      return `The vehicle shows ${o.ohm !== null ? ohms(o.ohm) : `${o.signalV} V of signal`}${o.pole ? ` at the ${o.pole} pole` : ''}${o.after ? `, after ${o.after}` : o.wetted ? ', wet' : ''}${o.readAt ? `, read ${when(o.readAt)}` : ''}`;
    case 'poles':
      return `${o.section ? `${testedLabel({ part: 'section', ...o.section })}: ` : ''}− to chassis ${fixed(o.negativeV, 1)} V, + to chassis ${fixed(o.positiveV, 1)} V of ${fixed(o.packV, 1)} V, meter ${ohms(o.meterOhm)} (${o.section ? 'a part alone' : { whole: 'pack in the vehicle', pack: 'pack alone', vehicle: 'vehicle side' }[o.side]})`;
    case 'known-resistor':
      return `V1 ${fixed(o.v1, 1)} V at the ${o.higher} pole, V2 ${fixed(o.v2, 1)} V, with ${ohms(o.r0Ohm)} ${fixed(o.v1WithR0, 1)} V`;
    case 'tester': {
      if (o.lockedOutV !== undefined)
        return `The tester met ${fixed(o.lockedOutV, 0)} V at ${testedLabel(o.tested)} and gave none: no test`;
      const last = o.points[o.points.length - 1]!;
      return `${o.setV} V on ${testedLabel(o.tested)}${o.terminals && o.tested.part === 'pack' ? ` from ${{ negative: 'the − pole', positive: 'the + pole', both: 'both poles' }[o.terminals]}` : ''}${o.wetted ? ', after wetting' : ''}${o.humidityPercent != null ? ` at ${fixed(o.humidityPercent, 0)} % humidity` : ''}: ${last.ohm === null ? 'pinned' : `${last.atLeast ? 'more than ' : ''}${ohms(last.ohm)}`} at ${last.timeS} s${last.voltageV === null ? '' : `, ${fixed(last.voltageV, 0)} V`}`;
    }
    case 'limit-voltage':
      return `The limit is taken by ${o.by === 'working' ? 'the highest working voltage' : 'the measured voltage'}`;
    case 'seen':
      return `${o.evidence} at ${o.module}`;
    case 'ways':
      return `${ENTRY_ADVICE[o.of].name} ${waysInWords(o.ways)}: ${o.state}${o.part && o.part !== 'as it was' ? `, ${o.part}` : ''}${o.revision ? `, revision ${o.revision}` : ''}`;
    case 'outside':
      return `Mud outside over ${waysInWords(o.modules)}: ${o.mudMm === 0 ? 'none' : `${o.mudMm} mm`}`;
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

/** Names of ways in a line: neighbours by their ends, and how many where they are more than a few. */
export function waysInWords(ways: readonly string[]): string {
  const parts = ways.map((w) => /^(.*?)(\d+)$/.exec(w));
  const runs: [string, string][] = [];
  ways.forEach((w, i) => {
    const [here, before] = [parts[i], i > 0 ? parts[i - 1] : null];
    const next = here && before && here[1] === before[1] && Number(here[2]) === Number(before[2]) + 1;
    if (next) runs.at(-1)![1] = w;
    else runs.push([w, w]);
  });
  const words = runs.map(([from, to]) => (from === to ? from : `${from} to ${to}`));
  const shown = words.length > 5 ? [...words.slice(0, 4), 'others'] : words;
  return `${shown.join(', ')}${ways.length > 4 ? ` (${ways.length})` : ''}`;
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

/** A tester's reading: a figure, or one beyond its range as `>4G`. Null while it cannot be read. */
export function reading(text: string): { ohm: number; atLeast?: true } | null {
  const over = /^\s*[>≥]\s*/.exec(text);
  const ohm = figure(over ? text.slice(over[0].length) : text);
  return ohm === null ? null : over ? { ohm, atLeast: true } : { ohm };
}

/** What a meter is good to, from `0.5 % + 0.1 V`; empty where nothing is typed, null while it cannot be read. */
export function accuracyOf(text: string): { accuracyShare?: number; accuracyV?: number } | null {
  if (text.trim() === '') return {};
  const m = /^([\d.,]+)\s*%(?:\s*\+\s*([\d.,]+)\s*V?)?$/i.exec(text.trim());
  const number = (t: string): number => Number(t.replace(',', '.'));
  if (!m || !(number(m[1]!) <= 20)) return null;
  return { accuracyShare: number(m[1]!) / 100, accuracyV: m[2] === undefined ? 0 : number(m[2]) };
}
