import type { Check } from '@cellmend/contract/records';
import type { Job } from '@cellmend/contract/jobs';
import { EVIDENCE, type Measure, type MeasureKind } from '@cellmend/core/route';
import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { insulationPass, measures, openOn, profileOf, proveDead } from './depot';
import { Client, startBench, type Answer, type Bench } from './harness';

// Two people do what comes to their mind with one job, in any order. Whatever they do, what the sheet would say follows from the
// record, nothing is answered by a fault of the server, and the job can still end.

let bench: Bench;
let ina: Client;
let tomas: Client;
beforeAll(async () => {
  bench = await startBench();
  [ina, tomas] = [await bench.as('Ina Holm'), await bench.as('Tomas Rook')];
});
afterAll(() => bench.end());

const LINES: [MeasureKind, string][] = [
  ['mend-joint', 'L2'],
  ['seal', 'valve 1'],
  ['dry', 'M02'],
  ['scrap', 'M03'],
  ['scrap-pack', ''],
  ['monitor', ''],
];
type Step =
  | { does: 'list'; lines: number[] }
  | { does: 'drop'; which: number }
  | { does: 'check'; which: number; passed: boolean; papers: boolean }
  | { does: 'test'; how: 'both' | 'negative' | 'leak' }
  | { does: 'take out' }
  | { does: 'jot'; volts: number };
const STEP: fc.Arbitrary<Step & { second: boolean }> = fc
  .tuple(
    fc.oneof(
      {
        weight: 2,
        arbitrary: fc.record({
          does: fc.constant('list' as const),
          lines: fc.uniqueArray(fc.nat(LINES.length - 1), { minLength: 1, maxLength: 3 }),
        }),
      },
      { weight: 1, arbitrary: fc.record({ does: fc.constant('drop' as const), which: fc.nat(3) }) },
      {
        weight: 6,
        arbitrary: fc.record({
          does: fc.constant('check' as const),
          which: fc.nat(8),
          passed: fc.boolean(),
          papers: fc.boolean(),
        }),
      },
      {
        weight: 3,
        arbitrary: fc.record({
          does: fc.constant('test' as const),
          how: fc.constantFrom('both' as const, 'negative' as const, 'leak' as const),
        }),
      },
      { weight: 1, arbitrary: fc.record({ does: fc.constant('take out' as const) }) },
      {
        weight: 1,
        arbitrary: fc.record({
          does: fc.constant('jot' as const),
          volts: fc.double({ min: 2.5, max: 4.2, noNaN: true }),
        }),
      },
    ),
    fc.boolean(),
  )
  .map(([step, second]) => ({ ...step, second }));

/** What the walk itself knows of what it did, to hold the server's words against. */
interface Known {
  /** Of the last test of the whole string that passed from both poles, and of the last thing that undoes or answers it, by count. */
  goodAt: number;
  badAt: number;
  leakAt: number;
}

/** What was ever there: a walk that gets nowhere shows nothing. */
const met = new Set<string>();

class Walk {
  readonly known: Known = { goodAt: -1, badAt: -1, leakAt: -1 };
  private count = 0;
  private constructor(readonly job: number) {}
  static async begin(n: number): Promise<Walk> {
    const job = await openOn(ina, profileOf(`Harrow walk ${n}`, 4, 2), `W-${n}`);
    await proveDead(ina, bench, job);
    return new Walk(job);
  }
  read = async (): Promise<Job> => (await ina.get<Job>(`/api/jobs/${this.job}`)).body;

  private async sign(list: Measure[], who: Client): Promise<Answer> {
    const { decisions } = await this.read();
    const baseVersion = decisions.find((d) => d.topic === 'measures')?.version ?? 0;
    return who.post(`/api/jobs/${this.job}/decisions`, {
      body: { topic: 'measures', measures: list },
      baseVersion,
    });
  }
  private async list(): Promise<Measure[]> {
    const body = (await this.read()).decisions.find((d) => d.topic === 'measures')?.body;
    return body?.topic === 'measures' ? body.measures : [];
  }

  async take(step: Step & { second: boolean }): Promise<void> {
    const who = step.second ? tomas : ina;
    const at = this.count++;
    let answer: Answer | null = null;
    switch (step.does) {
      case 'list': {
        const kept = await this.list();
        const more = measures(...step.lines.map((i) => LINES[i]!)).measures.map((m, i) => ({
          ...m,
          id: `w${at}-${i}`,
        }));
        const fresh = more.filter(
          (m) => !kept.some((k) => k.kind === m.kind && k.place === m.place && k.dropped === ''),
        );
        answer = await this.sign([...kept, ...fresh], who);
        if (answer.status === 201 && kept.length === 0) this.known.badAt = at;
        break;
      }
      case 'drop': {
        const kept = await this.list();
        const standing = kept.filter((m) => m.dropped === '');
        if (standing.length < 2) return;
        const gone = standing[step.which % standing.length]!.id;
        answer = await this.sign(
          kept.map((m) => (m.id === gone ? { ...m, dropped: 'not wanted any more' } : m)),
          who,
        );
        break;
      }
      case 'check': {
        const open = (await this.read()).steps.filter(
          (s) => EVIDENCE[s.evidence].check && s.evidence !== 'wakes',
        );
        const s = open[step.which % Math.max(1, open.length)];
        if (!s) return;
        answer = await who.post(`/api/jobs/${this.job}/checks`, {
          check: s.evidence,
          place: s.place,
          passed: step.passed,
          text: step.papers ? 'recycler, note 4711' : '',
        });
        if (
          answer.status === 201 &&
          !EVIDENCE[s.evidence].movesNothing &&
          ['strip-down', 'rebuild'].includes(s.stage)
        )
          this.known.badAt = at;
        if (EVIDENCE[s.evidence].check!.papers && step.passed && !step.papers)
          expect(answer.status).not.toBe(201);
        break;
      }
      case 'test':
        answer = await this.test(step.how, who);
        if (answer.status !== 201) break;
        if (step.how === 'both') this.known.goodAt = at;
        if (step.how === 'leak') this.known.leakAt = at;
        break;
      case 'take out':
        answer = await who.post(`/api/jobs/${this.job}/salvage`, {
          places: ['M03'],
          to: 'scrapped',
          reason: 'dead',
          proof: 'recycler, note 4711',
        });
        break;
      case 'jot':
        answer = await who.post(`/api/jobs/${this.job}/readings`, {
          kind: 'voltage',
          place: 'ch001',
          value: step.volts,
          stage: 'findings',
          observedAt: new Date().toISOString(),
        });
    }
    expect(answer.status, JSON.stringify([step, answer.body])).toBeLessThan(500);
  }

  private test(how: 'both' | 'negative' | 'leak', who: Client): Promise<Answer> {
    if (how === 'both') return insulationPass(who, this.job);
    return who.post(`/api/jobs/${this.job}/insulation`, {
      observation: {
        kind: 'tester',
        tested: how === 'leak' ? { part: 'section', from: 'M02', to: 'M02' } : { part: 'pack' },
        ...(how === 'negative' ? { terminals: 'negative' } : {}),
        setV: 500,
        points: [{ timeS: 60, ohm: how === 'leak' ? 6200 : 1.8e9, voltageV: how === 'leak' ? 30 : 500 }],
        temperatureC: 21,
        mounted: true,
        contactProven: true,
      },
      managementDisconnected: true,
    });
  }

  /** What the page and the sheet would say follows from what was done. */
  async holds(): Promise<void> {
    const job = await this.read();
    const { body: checks } = await ina.get<Check[]>(`/api/jobs/${this.job}/checks`);
    const { goodAt, badAt, leakAt } = this.known;
    for (const s of job.steps.filter((x) => x.met)) {
      met.add(s.evidence);
      if (['cause', 'dried', 'part-insulation', 'sealed', 'pack-away', 'joints'].includes(s.evidence)) {
        const newest = checks.find((c) => c.check === s.evidence && c.place === s.place);
        expect(newest, `${s.evidence} ${s.place}`).toMatchObject({ passed: true });
      }
      // One pole reaches one half, a leak of before is answered first, and hands inside undo what was tested.
      if (s.evidence === 'insulation-before-lid') expect([goodAt > badAt, leakAt]).toEqual([true, -1]);
      if (s.evidence === 'disposal') expect(job.removed.map((r) => r.place)).toContain(s.place);
    }
    for (const ending of ['repaired', 'scrapped'] as const)
      if (job.endings[ending].length === 0) {
        met.add(ending);
        expect(job.steps.filter((s) => !s.met)).toEqual([]);
      }
  }

  /** It can end, whatever was done: the owner declines, and what stands on the list is dropped with its reason. */
  async ends(): Promise<void> {
    const kept = (await this.list()).map((m) =>
      m.dropped === '' ? { ...m, dropped: 'the owner declines' } : m,
    );
    const signed = await this.sign([...kept, { ...measures(['decline']).measures[0]!, id: 'end' }], ina);
    expect(signed.status, JSON.stringify(signed.body)).toBe(201);
    expect((await this.read()).endings.declined).toEqual([]);
  }
}

it('whatever two people do with a job, in whatever order, its words follow from the record and it can end', async () => {
  let n = 0;
  await fc.assert(
    fc.asyncProperty(fc.array(STEP, { minLength: 10, maxLength: 18 }), async (steps) => {
      const walk = await Walk.begin(++n);
      for (const step of steps) {
        await walk.take(step);
        await walk.holds();
      }
      await walk.ends();
    }),
    { numRuns: 16, seed: 77, endOnFailure: true },
  );
  expect([...met]).toEqual(
    expect.arrayContaining(['insulation-before-lid', 'disposal', 'pack-away', 'scrapped']),
  );
}, 240_000);
