import type { Pack } from '../pack';
import { linksInOrder } from '../safety/exposure';
import { cleanSections } from './parts';
import { spokenOf } from './judgeTest';
import { nextStep, TEST_MIN } from './search';
import type { InsulationReport, PartRow, TestRow } from './types';

/**
 * Where the leak can still be, and what it takes to part the string there. Whatever else leaks, one leak is in the smallest part that
 * leaks: it is looked for there.
 * @param leaking places of each test that leaked, in each of which at least one leaks
 */
export function searchOf(
  pack: Pack,
  openLinks: readonly string[],
  tests: readonly TestRow[],
  parts: readonly PartRow[],
  p: readonly number[],
  leaking: readonly (readonly number[])[],
): { candidates: number[]; linkMin: number[]; links: string[] } {
  const links = linksInOrder(pack);
  const clean = cleanSections(p.length, tests, parts);
  // Where a clean part is the likelier place after all, everything is open again.
  const open = leaking.map((at) => at.filter((i) => !clean[i])).filter((at) => at.length > 0);
  const least = Math.min(...open.map((at) => at.length));
  const smallest = new Set(open.find((at) => at.length === least) ?? p.map((_, i) => i));
  const left =
    p.reduce((s, x, i) => s + (clean[i] ? 0 : x), 0) /
    Math.max(
      1e-12,
      p.reduce((a, b) => a + b, 0),
    );
  return {
    candidates:
      left > 0.5 || open.length > 0 ? p.map((x, i) => (clean[i] || !smallest.has(i) ? 0 : x)) : [...p],
    linkMin: links.map((l) => (!l ? Infinity : openLinks.includes(l.id) ? 0 : (l.accessMin ?? TEST_MIN))),
    links: links.map((l) => l?.id ?? ''),
  };
}

/**
 * The next test if the places were as likely as `p` says (in string order): for what is remembered of such packs, weighed into what the
 * tests themselves say. The report's own next test stays what it is.
 */
export function nextWithPlaces(
  report: InsulationReport,
  pack: Pack,
  p: readonly number[],
): InsulationReport['next'] {
  // Where nothing points at a leak, or one was found, there is no place to prefer.
  if (report.found) return report.next;
  if (report.suspected === false && report.location === null) return report.next;
  const inside = report.modules.reduce((s, m) => s + m.probability, 0);
  // What is remembered tells places of the pack apart; how likely the vehicle is stays with the readings.
  const total = p.reduce((s, x) => s + x, 0) || 1;
  const { candidates, linkMin, links } = searchOf(
    pack,
    report.openLinks,
    report.tests,
    report.parts,
    p.map((x) => (x / total) * inside),
    report.tests.filter((t) => t.result.verdict === 'leak').map(spokenOf),
  );
  return nextStep({
    p: candidates,
    vehicleP: report.vehicleSide.probability,
    vehicleState: report.vehicleSide.state,
    linkMin,
    links,
    idAt: (i) => pack.modules[report.modules[i]!.moduleIndex]!.id,
    found: null,
    further: null,
    elsewhere: { parts: [], pack: 'untested' },
    untested: null,
    measured: report.location !== null || report.tests.length > 0 || report.parts.length > 0,
  });
}
