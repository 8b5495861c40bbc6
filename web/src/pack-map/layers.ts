import type { SafetyView } from '@cellmend/contract/safety';
import type { InsulationEntry } from '@cellmend/contract/insulation';
import { mudNow, type InsulationReport, type Reach } from '@cellmend/core/insulation';
import type { Run } from '@cellmend/contract/bench';
import type { SupervisedRun } from '@cellmend/contract/supervised';
import { FIT_SHARE } from '@cellmend/core/bench';
import type { Pack } from '@cellmend/core/pack';
import { CLASS_B_V, exposure, planCuts } from '@cellmend/core/safety';
import type { Spread, SpreadReport } from '@cellmend/core/diagnosis';
import { buildOf, partName, type StripPlan } from '@cellmend/core/stripdown';
import { fixed, ohms } from '../ui/words';
import type { Cover, GroupMark, Layer, ModuleMark } from './view';

const noMarks = (): Map<number, ModuleMark> => new Map();

/** Marks that stay on every layer: suspects from the findings, replaced modules from the decisions. */
export function moduleMarks(
  pack: Pack,
  report: SpreadReport | null,
  replaced: readonly string[],
): Map<number, ModuleMark> {
  const marks = noMarks();
  for (const m of pack.modules) {
    const own = report?.findings.filter((f) => f.module.split(' + ').includes(m.id)) ?? [];
    if (replaced.includes(m.id)) marks.set(m.index, { state: 'replaced' });
    else if (own.some((f) => f.verdict === 'dead')) marks.set(m.index, { state: 'condemned' });
    else if (own.some((f) => f.verdict !== 'undetermined')) marks.set(m.index, { state: 'suspect' });
  }
  return marks;
}

/** Voltage against the pack's median at one end. The scale ends at the widest deviation, at least 20 mV. */
export function deviationLayer(
  pack: Pack,
  spread: Spread | null,
  report: SpreadReport | null,
  replaced: readonly string[],
  end: string,
): Layer {
  const groups = new Map<number, GroupMark>();
  const widest = Math.max(20, ...(spread?.channels.map((c) => Math.abs(c.deviationMv ?? 0)) ?? []));
  for (const c of pack.channels) {
    const deviation = spread?.channels[c.index]?.deviationMv ?? null;
    const unknown =
      report?.findings.some((f) => f.channelIndex === c.index && f.verdict === 'undetermined') ?? false;
    groups.set(c.index, {
      scale: deviation === null ? null : Math.sign(deviation) * Math.sqrt(Math.abs(deviation) / widest),
      unknown,
    });
  }
  return {
    id: 'deviation',
    name: 'Deviation',
    caption: spread || report ? end : 'no scan yet',
    groups,
    modules: moduleMarks(pack, report, replaced),
    legend: spread ? { low: `−${fixed(widest, 0)} mV`, high: `+${fixed(widest, 0)} mV` } : null,
  };
}

/** Capacity against the typical channel, ± 20 % at the ends of the scale. */
export function capacityLayer(pack: Pack, report: SpreadReport | null, replaced: readonly string[]): Layer {
  const groups = new Map<number, GroupMark>();
  for (const c of report?.channels ?? [])
    if (c.capacityRatio)
      groups.set(c.channelIndex, { scale: Math.max(-1, Math.min(1, (c.capacityRatio.value - 1) / 0.2)) });
  return {
    id: 'capacity',
    name: 'Capacity',
    caption: !report
      ? 'no scan yet'
      : groups.size > 0
        ? 'estimated from the scan'
        : 'not measured by the scan',
    groups,
    modules: moduleMarks(pack, report, replaced),
    legend: report ? { low: '−20 %', high: '+20 %' } : null,
  };
}

/** What was seen at each module as the pack came apart, and which were clean. */
export function seenLayer(pack: Pack, entries: readonly InsulationEntry[], way: string): Layer {
  const modules = noMarks();
  const at = new Map<string, string[]>();
  const standing = entries.flatMap((e) => (e.supersededBy === null ? [e.observation] : []));
  for (const o of standing)
    if (o.kind === 'seen') at.set(o.module, [...(at.get(o.module) ?? []), o.evidence]);
  const mud = mudNow(standing.flatMap((o) => (o.kind === 'outside' ? [o] : [])));
  for (const m of pack.modules) {
    const seen = at.get(m.id);
    const mudMm = mud.get(m.id);
    const outside = mudMm ? `mud ${mudMm} mm` : '';
    if (!seen) {
      if (outside) modules.set(m.index, { state: 'plain', text: outside, tone: 'open' });
      continue;
    }
    const damage = seen.filter((e) => e !== 'clean and dry');
    modules.set(
      m.index,
      damage.length > 0
        ? {
            state: 'suspect',
            text: [damage.length === 1 ? damage[0]! : `${damage[0]!} +${damage.length - 1}`, outside]
              .filter(Boolean)
              .join(', '),
          }
        : { state: 'plain', text: ['clean', outside].filter(Boolean).join(', '), tone: 'clean' },
    );
  }
  return {
    id: 'seen',
    name: 'Seen',
    caption: at.size === 0 ? 'nothing looked at' : 'what was seen',
    groups: new Map<number, GroupMark>(),
    modules,
    legend: null,
    whole: true,
    note: {
      title: `${at.size} of ${pack.modules.length} looked at`,
      text: way || 'Clean and dry places tell as much as damaged ones.',
    },
  };
}

/** What each module gave on the bench, by its last whole run; a bound where none was. */
export function benchLayer(
  pack: Pack,
  runs: readonly Run[],
  now: readonly Pick<SupervisedRun, 'place' | 'state'>[] = [],
): Layer {
  const modules = noMarks();
  const last = new Map<string, Run>();
  for (const r of runs)
    if (r.capacityAh !== null && !(r.lowerBound && last.has(r.place) && !last.get(r.place)!.lowerBound))
      last.set(r.place, r);
  for (const m of pack.modules) {
    const run = last.get(m.id);
    const state = now.find((r) => r.place === m.id && r.state !== 'done')?.state;
    const at =
      state === undefined ? {} : { at: state === 'running' ? ('work' as const) : ('waits' as const) };
    if (!run) {
      if (state !== undefined) modules.set(m.index, { state: 'plain', ...at });
      continue;
    }
    const weak = !run.lowerBound && run.capacityAh! < FIT_SHARE * pack.profile.ratedCapacityAh;
    modules.set(m.index, {
      state: weak ? 'suspect' : 'plain',
      share: Math.min(1, run.capacityAh! / pack.profile.ratedCapacityAh),
      text: `${run.lowerBound ? '≥' : ''}${fixed(run.capacityAh!, run.capacityAh! < 20 ? 1 : 0)}`,
      ...at,
    });
  }
  const inPart = [...last.values()].filter((r) => r.lowerBound).length;
  return {
    id: 'bench',
    name: 'Bench',
    caption: last.size === 0 ? 'nothing has run' : 'A·h on the bench',
    groups: new Map<number, GroupMark>(),
    modules,
    legend: null,
    whole: true,
    note: {
      title: `${last.size - inPart} of ${pack.modules.length} measured${inPart > 0 ? `, ${inPart} in part` : ''}`,
      text: `Rated ${fixed(pack.profile.ratedCapacityAh, 1)} A·h; marked below ${fixed(FIT_SHARE * 100, 0)} %. Empty: not measured.${now.some((r) => r.state !== 'done') ? ' Triangle: runs now; two bars: interrupted, waits.' : ''}`,
    },
  };
}

/** What each module still holds, by sections, and which links bring it below 60 V. */
export function exposureLayer(pack: Pack, safety: SafetyView | undefined): Layer {
  const base = {
    id: 'exposure',
    name: 'Exposure',
    groups: new Map<number, GroupMark>(),
    modules: noMarks(),
    legend: null,
    whole: true,
  };
  if (!safety) return { ...base, caption: '' };
  const open = new Set(safety.openLinks);
  const plan = planCuts(pack, safety.moduleV, open);
  const now = exposure(pack, safety.moduleV, open);
  for (const section of now.sections)
    for (const m of section.modules)
      base.modules.set(m, {
        state: 'plain',
        text: `${fixed(safety.moduleV[m]!, 0)} V`,
        tone: section.voltageV > CLASS_B_V ? 'hot' : 'plain',
      });
  const parts = now.sections.map((s) => `${fixed(s.voltageV, 0)} V`).join(' and ');
  const count = plan.steps.length;
  return {
    ...base,
    caption: safety.moduleVFrom === 'scan' ? 'from the scan' : 'as if full',
    links: { next: plan.steps.slice(0, 1).map((s) => s.linkId), out: safety.openLinks },
    note: {
      title:
        plan.tooHigh.length > 0
          ? `${plan.tooHigh.join(', ')} alone ${plan.tooHigh.length > 1 ? 'hold' : 'holds'} more than 60 V`
          : count === 0
            ? `No part holds more than ${fixed(now.worstV, 0)} V`
            : `Below 60 V everywhere after ${count} ${count === 1 ? 'link' : 'links'}`,
      text:
        count === 0
          ? 'Every module stays live in itself.'
          : `${parts} now, then ${plan.steps.map((s) => `${s.linkId} ${fixed(s.worstV, 0)}`).join(', ')}. About ${fixed(plan.minutes, 0)} min.`,
    },
  };
}

/** Parts of the build that lie over modules, with the step of a plan that takes each off. */
export const coversOf = (pack: Pack, plan?: StripPlan): Cover[] =>
  buildOf(pack).parts.flatMap((p) => {
    if (!p.over?.length) return [];
    const at = plan?.steps.findIndex((s) => s.id === p.id) ?? -1;
    return [
      {
        name: partName(p),
        modules: pack.modules.filter((m) => p.over!.includes(m.id)).map((m) => m.index),
        step: at < 0 ? null : at + 1,
        off: plan?.steps[at]?.done ?? false,
      },
    ];
  });

/** “Over them: 2 Lid, 9 Side rail, left. Stays on: Upper carrier. Every module stays live in itself.” */
function coversSaid(covers: readonly Cover[]): string {
  const comes = covers
    .filter((c) => !c.off && c.step !== null)
    .sort((a, b) => a.step! - b.step!)
    .map((c) => `${c.step} ${c.name}`);
  const stays = covers.filter((c) => !c.off && c.step === null).map((c) => c.name);
  const off = covers.filter((c) => c.off).map((c) => c.name);
  return [
    comes.length > 0 ? `Over them: ${comes.join(' · ')}.` : '',
    off.length > 0 ? `Off: ${off.join(' · ')}.` : '',
    stays.length > 0 ? `Stays on: ${stays.join(' · ')}.` : '',
    'Every module stays live in itself.',
  ]
    .filter(Boolean)
    .join(' ');
}

/** What comes off: in which step, and what is off already. */
export function removalLayer(pack: Pack, plan: StripPlan | undefined): Layer {
  const marks = noMarks();
  plan?.steps.forEach((s, i) => {
    const m = pack.modules.find((x) => x.id === s.id);
    if (m)
      marks.set(m.index, {
        state: s.target ? 'suspect' : 'plain',
        text: s.done ? 'off' : `step ${i + 1}`,
        tone: s.done ? 'open' : 'plain',
      });
  });
  const links = plan?.steps.filter((s) => s.kind === 'link') ?? [];
  const covers = coversOf(pack, plan);
  return {
    id: 'removal',
    name: 'Removal',
    caption: plan ? 'what comes off' : 'nothing is to come out',
    groups: new Map(),
    modules: marks,
    legend: null,
    whole: true,
    covers,
    links: {
      next: links.filter((s) => !s.done).map((s) => s.id),
      out: links.filter((s) => s.done).map((s) => s.id),
    },
    ...(plan ? { note: { title: 'Numbers are steps', text: coversSaid(covers) } } : {}),
  };
}

/** What the lead of a test that is being set up reaches: filled; dashed is what it does not. */
export function reachLayer(pack: Pack, { certain, possible }: Reach, out: readonly string[]): Layer {
  const marks = noMarks();
  pack.stringOrder.forEach((m, i) => {
    const reached = certain.includes(i);
    marks.set(m, {
      state: 'plain',
      text: reached ? 'reached' : possible.includes(i) ? 'which pole?' : 'not reached',
      tone: reached ? 'clean' : 'open',
    });
  });
  return {
    id: 'reach',
    name: 'Reach',
    caption: 'what this lead reaches',
    groups: new Map(),
    modules: marks,
    legend: null,
    whole: true,
    links: { next: [], out: [...out] },
    note: { title: 'Filled: reached by this test', text: 'Dashed modules stay unproven.' },
  };
}

/** How likely the leak is in each module, which are clean, and which link to pull next. */
export function insulationLayer(report: InsulationReport | null): Layer {
  const marks = noMarks();
  for (const m of report?.modules ?? []) {
    const text =
      m.state === 'clean'
        ? `clean${m.ohm ? `, ${m.atLeast ? '≥ ' : ''}${ohms(m.ohm)}` : ''}`
        : m.state === 'leak'
          ? `leaks${m.ohm ? `, ${ohms(m.ohm)}` : ''}`
          : m.state === 'so far'
            ? `so far${m.ohm ? ` ${m.atLeast ? '≥ ' : ''}${ohms(m.ohm)}` : ''}`
            : report?.suspected === false
              ? 'not tested'
              : m.probability >= 0.02
                ? `${fixed(m.probability * 100, 0)} %`
                : 'not isolated';
    marks.set(m.moduleIndex, {
      state: m.state === 'suspect' || m.state === 'leak' ? 'suspect' : 'plain',
      text,
      ...(m.state === 'clean' || m.state === 'so far' || report?.suspected === false
        ? {}
        : { share: m.probability }),
      tone:
        m.state === 'clean' ? 'clean' : m.state === 'not split' || m.state === 'so far' ? 'open' : 'plain',
    });
  }
  const next = report?.next.split?.opens ?? [];
  return {
    id: 'insulation',
    name: 'Insulation',
    caption: !report
      ? 'nothing measured yet'
      : report.suspected === false
        ? 'what was tested'
        : 'how likely the leak is',
    groups: new Map(),
    modules: marks,
    legend: null,
    whole: true,
    links: { next, out: report?.openLinks ?? [] },
    ...(report
      ? {
          note: {
            title: next.length > 0 ? `Black bar: link ${next.join(' and ')}, pull next` : report.title,
            text: 'Every part that is separated stays live.',
          },
        }
      : {}),
  };
}
