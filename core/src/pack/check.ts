import { InputProblem } from '../problem';
import { chemistryName } from './chemistry';
import { LIMITS, limitValue } from './limits';
import { normalisePack } from './normalise';
import { ocvCurve } from './ocv';
import type { Pack, PackProfile } from './types';
import { fullV } from './voltage';

/** One thing about a profile that is wrong (`error`) or odd (`remark`). */
export interface ProfileFault {
  level: 'error' | 'remark';
  what: string;
  where: string;
}

/**
 * Checks a profile: every group in one module, the string closed by its links, voltages plausible, places free.
 * A profile with an error cannot be used; remarks are for the person who wrote it.
 */
export function checkProfile(profile: PackProfile): { faults: ProfileFault[]; pack: Pack | null } {
  const faults: ProfileFault[] = [];
  const fault = (level: ProfileFault['level'], what: string, where: string): void =>
    void faults.push({ level, what, where });
  let pack: Pack | null = null;
  try {
    pack = normalisePack(profile);
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    fault('error', e.what, e.where);
  }
  try {
    const curve = ocvCurve(profile.ocv);
    const full = limitValue(profile, 'cellFullV');
    const empty = limitValue(profile, 'cellEmptyV');
    const name = chemistryName(profile.chemistry);
    if (curve.maxV > full + 0.25)
      fault('error', `The OCV table reaches ${curve.maxV} V; ${name} cells are full at ${full} V.`, 'ocv');
    if (curve.minV < empty - 0.8)
      fault(
        'error',
        `The OCV table begins at ${curve.minV} V, far below the ${empty} V at which ${name} cells count as empty.`,
        'ocv',
      );
    if (profile.ocv[0]![0] > 0.02 || profile.ocv[profile.ocv.length - 1]![0] < 0.98)
      fault('remark', 'The OCV table does not run from 0 to 100 % of charge.', 'ocv');
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    fault('error', e.what, e.where);
  }
  if (pack) {
    checkPlaces(pack, fault);
    checkLinks(pack, fault);
    checkBoards(pack, fault);
    checkWiring(pack, fault);
    checkBuild(pack, fault);
    const volts = fullV(profile, pack.groups.length);
    if (volts > 1000)
      fault(
        'error',
        `${pack.groups.length} groups make ${volts.toFixed(0)} V when full: more than any road vehicle carries.`,
        'channels',
      );
    checkLimits(profile, fault);
  }
  return { faults, pack: faults.some((f) => f.level === 'error') ? null : pack };
}

/** What comes off before what: each part once, nothing waits for what is not there, and everything can be reached. */
function checkBuild(pack: Pack, fault: Say): void {
  const build = pack.profile.build ?? [];
  if (build.length === 0) return;
  const links = new Set((pack.profile.links ?? []).map((l) => l.id));
  const ids = new Set([...build.map((p) => p.id), ...links]);
  const seen = new Set<string>();
  for (const p of build) {
    const where = `build (${p.id})`;
    if (seen.has(p.id)) fault('error', `${p.id} is in the build twice.`, where);
    seen.add(p.id);
    if (p.kind === 'module' && !pack.modules.some((m) => m.id === p.id))
      fault('error', `The build names module ${p.id}, which the pack does not have.`, where);
    if (p.kind === 'link' && !links.has(p.id))
      fault('error', `The build names link ${p.id}, which the pack does not have.`, where);
    for (const id of p.over ?? [])
      if (!pack.modules.some((m) => m.id === id))
        fault('error', `${p.id} lies over ${id}, which the pack does not have.`, where);
    for (const id of new Set(p.after?.flat() ?? []))
      if (!ids.has(id)) fault('error', `${p.id} comes after ${id}, which is nowhere in the build.`, where);
  }
  const off = new Set<string>();
  for (let more = true; more;) {
    more = false;
    for (const p of build)
      if (
        !off.has(p.id) &&
        (!p.after?.length || p.after.some((set) => set.every((id) => off.has(id) || !seen.has(id))))
      ) {
        off.add(p.id);
        more = true;
      }
  }
  for (const p of build)
    if (!off.has(p.id))
      fault('error', `${p.id} can never come off: it waits for what waits for it.`, `build (${p.id})`);
  for (const m of pack.modules)
    if (!seen.has(m.id)) fault('remark', `The build does not say how ${m.id} comes out.`, 'build');
}

/** Sense boards: each of its own name, and every channel on one board at most. */
function checkBoards(pack: Pack, fault: Say): void {
  const { boards = [], links = [] } = pack.profile;
  const names = new Set([...pack.modules, ...pack.channels, ...links].map((x) => x.id.toLowerCase()));
  const on = new Map<string, string>();
  for (const b of boards) {
    const where = `boards (${b.id})`;
    if (names.has(b.id.toLowerCase()))
      fault(
        'error',
        `${b.id} is the name of something else already: a module, channel, link or board.`,
        where,
      );
    names.add(b.id.toLowerCase());
    for (const c of b.channels) {
      if (!pack.channels.some((x) => x.id === c))
        fault('error', `Board ${b.id} names channel ${c}, which the pack does not have.`, where);
      const other = on.get(c);
      if (other) fault('error', `${c} is on board ${other} and on board ${b.id}.`, where);
      on.set(c, b.id);
    }
  }
  const missing = pack.channels.filter((c) => !on.has(c.id));
  if (boards.length > 0 && missing.length > 0)
    fault(
      'remark',
      `No board reports ${missing[0]!.id}${missing.length > 1 ? ` and ${missing.length - 1} more` : ''}.`,
      'boards',
    );
}

/** Sense wires: scans give every place under one name, each name once, and as many cells as that name stands for. */
function checkWiring(pack: Pack, fault: Say): void {
  const byName = new Map(pack.channels.map((c) => [c.id, c]));
  const given = new Map<string, string>();
  for (const c of pack.channels) {
    const name = c.reportedAs ?? c.id;
    const where = `channels (${c.id})`;
    const other = byName.get(name);
    if (!other) fault('error', `Scans give ${c.id} under ${name}, which the pack does not have.`, where);
    else if (other.cells !== c.cells)
      fault(
        'error',
        `${c.id} has ${c.cells} cells, ${name} under which scans give it ${other.cells}.`,
        where,
      );
    const twice = given.get(name);
    if (twice) fault('error', `Scans give ${twice} and ${c.id} under the same name, ${name}.`, where);
    given.set(name, c.id);
  }
}

/** Limits in their range, each once, and the four volts of a cell in their order. */
function checkLimits(profile: PackProfile, fault: Say): void {
  const seen = new Set<string>();
  for (const l of profile.limits ?? []) {
    if (l.key === 'other') {
      if (!l.name?.trim()) fault('error', 'A limit of the maker’s has no name.', 'limits');
      continue;
    }
    const { name, least, most, unit } = LIMITS[l.key];
    if (seen.has(l.key)) fault('error', `${name} is given twice.`, `limits (${name})`);
    seen.add(l.key);
    if (!(l.value >= least && l.value <= most))
      fault(
        'error',
        `${name}: ${l.value} ${unit} cannot be. ${least} to ${most} ${unit}.`,
        `limits (${name})`,
      );
  }
  // A floor far below what the chemistry bears would let a dead cell pass for a low one.
  for (const key of ['cellScrapV', 'cellFloorV'] as const) {
    const least = (LIMITS[key].usual(profile)?.value ?? 0) / 2;
    const own = limitValue(profile, key);
    if (own < least)
      fault(
        'error',
        `${LIMITS[key].name}: ${own} V is too low for this chemistry. At least ${least} V.`,
        `limits (${LIMITS[key].name})`,
      );
  }
  const order = ['cellScrapV', 'cellFloorV', 'cellEmptyV', 'cellFullV', 'cellMostV'] as const;
  order.slice(1).forEach((key, i) => {
    const below = order[i]!;
    const [low, high] = [limitValue(profile, below), limitValue(profile, key)];
    if (low > high || (below === 'cellEmptyV' && low === high))
      fault(
        'error',
        `${LIMITS[key].name} (${high} V) is not above ${LIMITS[below].name.toLowerCase()} (${low} V).`,
        'limits',
      );
  });
}

type Say = (level: ProfileFault['level'], what: string, where: string) => void;

function checkPlaces(pack: Pack, fault: Say): void {
  const taken = new Map<string, string>();
  for (const m of pack.modules) {
    const key = `${m.place.tier}/${m.place.row}/${m.place.column}`;
    const other = taken.get(key);
    if (other)
      fault(
        'error',
        `${m.id} lies where ${other} lies: tier ${m.place.tier + 1}, row ${m.place.row + 1}, column ${m.place.column + 1}.`,
        `modules (${m.id})`,
      );
    taken.set(key, m.id);
  }
}

/** Links, where given, must join each module to the next in the string, once. */
function checkLinks(pack: Pack, fault: Say): void {
  const links = pack.profile.links ?? [];
  if (links.length === 0) {
    if (pack.modules.length > 1)
      fault('remark', 'No links are given: exposure and split planning need them.', 'links');
    return;
  }
  const seen = new Set<string>();
  const wanted = new Map(
    pack.stringOrder
      .slice(1)
      .map((m, i) => [[pack.modules[pack.stringOrder[i]!]!.id, pack.modules[m]!.id].sort().join('|'), false]),
  );
  for (const link of links) {
    if (seen.has(link.id)) fault('error', `Link ${link.id} is listed twice.`, `links (${link.id})`);
    seen.add(link.id);
    for (const end of link.between)
      if (!pack.modules.some((m) => m.id === end))
        fault('error', `Link ${link.id} names ${end}, which the pack does not have.`, `links (${link.id})`);
    const key = [...link.between].sort().join('|');
    if (!wanted.has(key))
      fault(
        'error',
        `Link ${link.id} joins ${link.between.join(' and ')}, which do not follow each other in the string.`,
        `links (${link.id})`,
      );
    else if (wanted.get(key))
      fault(
        'remark',
        `${link.between.join(' and ')} are joined by more than one link.`,
        `links (${link.id})`,
      );
    wanted.set(key, true);
  }
  for (const [key, there] of wanted)
    if (!there)
      fault('error', `Nothing joins ${key.replace('|', ' and ')}: the string is open there.`, 'links');
  if (!links.some((l) => l.kind === 'service-disconnect'))
    fault('remark', 'No service disconnect is given.', 'links');
}
