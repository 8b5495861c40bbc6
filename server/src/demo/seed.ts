import { PartFactsSchema } from '@cellmend/contract/stock';
import type { Stage } from '@cellmend/core/route';
import { PackProfileSchema } from '@cellmend/contract/pack';
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Store } from '../domain/store';
import { refreshNeed } from '../jobs/need';
import { hashPassword } from '../people/service';

/** A UUID made from a name, so that the demo depot is the same on every machine. */
export function demoId(name: string): string {
  const h = createHash('sha256').update(`cellmend demo ${name}`).digest('hex');
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-4${h.slice(13, 16)}-8${h.slice(17, 20)}-${h.slice(20, 32)}`;
}

/** People, shelf and jobs of Skerra Island Transport, an invented depot. */
const PEOPLE = [
  { name: 'Sunniva Kell', role: 'lead', hvLevel: 3, hvDays: 60, gloveClass: null, gloveDays: null, left: true },
  { name: 'Ina Holm', role: 'lead', hvLevel: 3, hvDays: 420, gloveClass: '0', gloveDays: 70, left: false },
  { name: 'Tomas Rook', role: 'technician', hvLevel: 2, hvDays: 160, gloveClass: '0', gloveDays: 40, left: false },
  { name: 'Bettine Vale', role: 'viewer', hvLevel: 0, hvDays: null, gloveClass: null, gloveDays: null, left: false },
] as const;

const SHELF = [
  { label: 'S-014', daysAgo: 3, chemistry: 'nmc', groupCount: 4, revision: 'C2', capacityAh: 107.4, resistanceMilliohm: 0.66, restVoltageV: 14.72, temperatureC: 21, insulationOhm: 9.2e8, origin: 'Marram 3, yard van with a bent frame, 61 000 km' },
  { label: 'S-022', daysAgo: 12, chemistry: 'nmc', groupCount: 4, revision: 'C2', capacityAh: 116.1, resistanceMilliohm: 0.58, restVoltageV: 15.04, temperatureC: 21, insulationOhm: 1.4e9, origin: 'New old stock, five years on the shelf' },
  { label: 'S-031', daysAgo: 5, chemistry: 'nmc', groupCount: 4, revision: 'C2', capacityAh: 98.9, resistanceMilliohm: 0.83, restVoltageV: 14.31, temperatureC: 20, insulationOhm: 4.1e8, origin: 'Marram 3, first pack of the island ambulance, 148 000 km' },
] as const;

const JOBS: { number: number; title: string; plate: string; complaint: string; pack: string; files?: string[]; clock?: { label: string; kind: string; stage: Stage; minutes: number } }[] = [
  { number: 138, title: 'Ferry shuttle hybrid', plate: 'SK 14', complaint: 'Battery lamp after every ramp; fan runs all the time.', pack: 'ferry-shuttle.json', clock: { label: 'Swap leads, cycle 3', kind: 'charge', stage: 'bench', minutes: -12 } },
  { number: 139, title: 'Kirk minibus', plate: 'SK 33', complaint: 'Range fell by a third in two winters; the owner wants every set measured.', pack: 'minibus.json' },
  { number: 140, title: 'School minibus', plate: 'SK 34', complaint: 'As its sister: every set to be measured before the school year.', pack: 'minibus.json' },
  { number: 141, title: 'Quay lorry', plate: 'SK 52', complaint: 'Full in the morning, limps home on the second round.', pack: 'harbour-lorry.json' },
  { number: 142, title: 'Slipway lorry', plate: 'SK 53', complaint: 'Stood in the storm tide over its rear right wheel; insulation warning since.', pack: 'harbour-lorry.json' },
  { number: 143, title: 'Fell yard tug', plate: 'SK 31', complaint: 'Flat after every weekend.', pack: 'yard-tug.json', clock: { label: 'Standing, third scan', kind: 'rest', stage: 'scan', minutes: 19 * 60 } },
  { number: 144, title: 'Corrie pilot car', plate: 'SK 02', complaint: 'Insulation warning after rain; drives, will not charge.', pack: 'corrie-pilot.json' },
  { number: 145, title: 'Store lorry', plate: 'SK 55', complaint: 'Left with its lights on over the closing week; the tool shows three modules at 0 V.', pack: 'harbour-lorry.json' },
  { number: 146, title: 'Tarn service van, 48 V', plate: 'SK 27', complaint: 'Start-stop gone since a flat 12 V battery.', pack: 'tarn-48v.json', clock: { label: 'Rest before voltage', kind: 'rest', stage: 'bench', minutes: 38 } },
  { number: 147, title: 'Marram 3 post van', plate: 'SK 19', complaint: 'Range fell to about 190 km over the winter; it drops from 20 % to limp within a kilometre. No warning lamps at rest.', pack: 'marram-3-van.json', files: ['marram-3-before.csv', 'marram-3-after.csv'] },
];

const RULES = { twoPersons: false, gateHours: 10, leastWaitMin: 3, callWhom: 'Island fire station, then Ina Holm (lead). Say: traction battery, which hall, people in it.', quarantinePlace: 'Steel tray behind hall 2, ten metres from the fence', equipment: { liftTableKg: 600, hoistKg: 500, crateMm: [1800, 1200, 500], crateKg: 450, doorMm: [2400, 2600], vanKg: 850 } };

/** Fills an empty database with the demo depot. Does nothing if anybody is there already. @returns whether it did. */
export async function seedDemo(store: Store, demoFolder: string): Promise<boolean> {
  const { models, sequelize } = store;
  const hash = await hashPassword(demoId(String(Math.random())));
  return sequelize.transaction(async (tx) => {
    await sequelize.query('LOCK TABLE people IN EXCLUSIVE MODE', { transaction: tx });
    if ((await models.Person.count({ transaction: tx })) > 0) return false;
    for (const { hvDays, gloveDays, left, ...p } of PEOPLE) {
      const gloveTested = gloveDays === null ? null : new Date(Date.now() - gloveDays * 86_400_000).toISOString().slice(0, 10);
      const hvUntil = hvDays === null ? null : new Date(Date.now() + hvDays * 86_400_000).toISOString().slice(0, 10);
      await models.Person.create({ id: demoId(p.name), ...p, hvUntil, gloveTested, passwordHash: hash, demo: true, hvIssuer: hvUntil ? 'Island technical college' : '', hvNumber: hvUntil ? `HV-${p.hvLevel}${hvDays}` : '', endedAt: left ? new Date(Date.now() - 30 * 86_400_000) : null }, { transaction: tx });
      // The lead of before saw everybody's certificate, and somebody at the college hers.
      if (hvUntil) await sequelize.query('INSERT INTO qualifications (person_id, level, until, issuer, number, granted_by) VALUES (:id, :level, :hvUntil, :issuer, :number, :by)', { replacements: { id: demoId(p.name), level: p.hvLevel, hvUntil, issuer: 'Island technical college', number: `HV-${p.hvLevel}${hvDays}`, by: left ? null : demoId('Sunniva Kell') }, transaction: tx });
    }
    for (const { label, daysAgo, capacityAh, resistanceMilliohm, restVoltageV, temperatureC, insulationOhm, ...facts } of SHELF) {
      const part = await models.Part.create({ id: demoId(label), label, kind: 'module' }, { transaction: tx });
      await models.PartFacts.create({ partId: part.id, version: 1, facts: PartFactsSchema.parse(facts), personId: demoId('Tomas Rook') }, { transaction: tx });
      await models.Placement.create({ id: demoId(`placement ${label}`), partId: part.id, kind: 'shelf', packId: null, jobId: null, personId: demoId('Tomas Rook') }, { transaction: tx });
      const measured = { capacity: capacityAh, resistance: resistanceMilliohm / 1000, voltage: restVoltageV, insulation: insulationOhm };
      for (const [kind, value] of Object.entries(measured))
        await models.Observation.create({ id: demoId(`${label} ${kind}`), jobId: null, partId: part.id, topic: 'reading', kind, data: { value, text: '', temperatureC }, subjectKind: 'part', personId: demoId('Tomas Rook'), supersedes: null, reason: '', observedAt: new Date(Date.now() - daysAgo * 86_400_000) }, { transaction: tx });
    }
    for (const file of readdirSync(join(demoFolder, 'packs')).sort()) {
      const profile = PackProfileSchema.parse(JSON.parse(readFileSync(join(demoFolder, 'packs', file), 'utf8')));
      await models.PackProfile.create({ id: demoId(file), name: profile.name, profile }, { transaction: tx });
    }
    await sequelize.query("INSERT INTO settings (name, value) VALUES ('workshop', '\"Skerra Island Transport workshop\"') ON CONFLICT DO NOTHING", { transaction: tx });
    await sequelize.query('INSERT INTO safety_rules (version, two_persons, gate_hours, least_wait_min, dead_v, person_id) SELECT max(version) + 1, :two, :hours, :wait, 5, :ina FROM safety_rules', { replacements: { two: RULES.twoPersons, hours: RULES.gateHours, wait: RULES.leastWaitMin, ina: demoId('Ina Holm') }, transaction: tx });
    await sequelize.query("INSERT INTO settings (name, value) VALUES ('workshop-rules', :rules) ON CONFLICT DO NOTHING", { replacements: { rules: JSON.stringify(RULES) }, transaction: tx });
    for (const { number, title, plate, complaint, pack, files, clock } of JOBS) {
      const vehicle = await models.Vehicle.create({ id: demoId(`vehicle ${title}`), name: title, plate }, { transaction: tx });
      const unit = await models.Pack.create({ id: demoId(`pack ${title}`), profileId: demoId(pack) }, { transaction: tx });
      const job = await models.Job.create({ id: demoId(`job ${number}`), number, title, complaint, vehicleId: vehicle.id, packId: unit.id, demoFiles: files ?? [] }, { transaction: tx });
      await models.PackFitting.create({ packId: unit.id, vehicleId: vehicle.id, jobId: job.id, personId: demoId('Ina Holm') }, { transaction: tx });
      await models.Audit.create({ jobId: job.id, personId: demoId('Ina Holm'), what: 'job opened', subject: title, detail: '' }, { transaction: tx });
      if (clock) await models.Clock.create({ id: demoId(`clock ${number}`), jobId: job.id, label: clock.label, kind: clock.kind, stage: clock.stage, endsAt: new Date(Date.now() + clock.minutes * 60_000), personId: demoId('Tomas Rook') }, { transaction: tx });
      await refreshNeed(store, tx, job.id);
    }
    await sequelize.query("SELECT setval('job_numbers', 147)", { transaction: tx });
    return true;
  });
}
