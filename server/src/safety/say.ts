import { format, parseISO } from 'date-fns';
import { HAZARD_NAMES, type Hazard, type StepData } from '@cellmend/core/safety';
import type { ObservationRow } from '../db/rows';

export function sayStep(d: StepData): string {
  const ohm = (v: number | null): string => (v === null ? '' : v >= 1000 ? `${v / 1000} kΩ` : `${v} Ω`);
  switch (d.step) {
    case 'live-dead-live':
      return `meter ${d.meterBeforeV} V; + to − ${d.plusMinusV} V, + to chassis ${d.plusChassisV} V, − to chassis ${d.minusChassisV} V; meter ${d.meterAfterV} V`;
    case 'barrier':
      return d.secondPerson;
    case 'disconnect':
      return `kept by ${d.keptBy}`;
    case 'gloves':
      return `class ${d.gloveClass}, tested ${format(parseISO(d.testedOn), 'd MMMM yyyy')}`;
    case 'join':
      return `${d.takesOver ? 'takes over' : 'joins'}: gloves class ${d.gloveClass}, ${d.tag}${d.secondPerson ? `; ${d.secondPerson} stays in sight` : ''}`;
    case 'look':
      return `${d.calm ? 'calm' : 'NOT calm'}: ${d.text}`;
    case 'quarantine':
      return [`${d.decision === 'outdoors' ? 'outdoors' : 'stays'}, ${d.place}`, d.reason]
        .filter(Boolean)
        .join(': ');
    case 'pyro-evidence':
    case 'insulation-evidence':
      return [ohm(d.ohm), d.text].filter(Boolean).join(', ');
    case 'group-voltages':
      return [d.lowestV === null ? '' : `lowest ${d.lowestV} V`, d.text].filter(Boolean).join(', ');
    default:
      return '';
  }
}

/** One line for an observation of Make safe, for everybody who reads it back. */
export function sayObservation(row: Pick<ObservationRow, 'kind' | 'data'>): string {
  const data = row.data as Record<string, unknown>;
  switch (row.kind) {
    case 'begin':
      return ((data.hazards as Hazard[] | undefined) ?? []).map((h) => HAZARD_NAMES[h]).join(', ');
    case 'close':
      return [data.reason, data.note].filter(Boolean).join(': ');
    case 'watch':
      return `every ${String(data.everyMin)} min for at least ${String(data.leastHours)} h`;
    case 'watch-end':
      return data.byRule ? 'its rule was met' : String(data.reason);
    case 'crash-inspection':
      return String(data.text);
    default:
      return sayStep(data as unknown as StepData);
  }
}
