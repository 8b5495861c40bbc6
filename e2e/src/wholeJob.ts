import type { Job } from '@cellmend/contract/jobs';
import type { SafetyView } from '@cellmend/contract/safety';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { writeScanCsv } from '@cellmend/core/scan';
import { driveLegs, healthyPack, Random, simulateRecord, type SimPack } from '@cellmend/core/simpack';
import type { Page } from 'playwright-core';
import { expect } from 'vitest';
import { wakeOf } from '../../server/test/depot';
import type { Bench, Client } from '../../server/test/harness';
import { signInAs, visit } from './browser';
import type { demoDepot } from './depot';

type Depot = ReturnType<typeof demoDepot>;

/** A drive from near full to near empty of a pack of that kind, healthy but for what is changed. */
export function drivenCsv(
  profile: PackProfile,
  seed: number,
  change: (s: SimPack) => void = () => undefined,
): string {
  const pack = normalisePack(profile);
  const random = new Random(seed);
  const sim = healthyPack(pack, new Random(3), 0.95);
  sim.startSoc = 0.96;
  change(sim);
  const rest = { durationS: 2400, currentA: 0, sampleS: 60 };
  const legs = driveLegs(random, profile.ratedCapacityAh * 0.31, profile.ratedCapacityAh * 0.68, 10);
  return writeScanCsv(simulateRecord(sim, [rest, ...legs, rest], random), 3);
}

/** One whole job in the browser, by what its pages offer: from intake to its sheet and its archive. */
export class WholeJob {
  private constructor(
    readonly page: Page,
    readonly errors: string[],
    readonly n: number,
    readonly ina: Client,
    private readonly bench: Bench,
    private readonly pass: (minutes: number) => void,
  ) {}

  /** Opens a job on a pack of its own. The pack is made beforehand, as its editor stores it. */
  static async open(
    depot: Depot,
    profile: PackProfile,
    vehicle: string,
    complaint: string,
  ): Promise<WholeJob> {
    const ina = await depot.bench().as('Ina Holm');
    expect((await ina.post('/api/packs', { profile, baseVersion: 0 })).status).toBe(201);
    const { page, errors } = await depot.tablet();
    await signInAs(page, 'Ina Holm');
    await page.getByRole('button', { name: 'New job' }).click();
    await page.getByLabel('Vehicle').fill(vehicle);
    await page.getByLabel('Complaint').fill(complaint);
    await page.getByLabel('Pack').selectOption({ label: profile.name });
    await page.getByRole('button', { name: 'Open job' }).click();
    await expect.poll(() => page.url()).toMatch(/\/intake$/);
    const n = Number(/jobs\/(\d+)/.exec(page.url())![1]);
    return new WholeJob(page, errors, n, ina, depot.bench(), depot.pass);
  }

  job = async (): Promise<Job> => (await this.ina.get<Job>(`/api/jobs/${this.n}`)).body;
  go = (stage: string): Promise<unknown> => visit(this.page, `/jobs/${this.n}/${stage}`);

  async intake(signs: string[], fields: [label: string | RegExp, value: string][] = []): Promise<void> {
    for (const s of signs) await this.page.getByRole('button', { name: s, exact: true }).click();
    for (const [label, value] of fields) await this.page.getByLabel(label).fill(value);
    await this.page.getByRole('button', { name: 'Sign intake' }).click();
    await this.page.getByText('Taken in by Ina Holm').waitFor();
  }

  async scan(text: string, role: 'Before repair' | 'After repair' = 'Before repair'): Promise<void> {
    await this.go('scan');
    const own = this.page.getByRole('radio', { name: role });
    if (await own.count()) await this.page.getByText(role, { exact: true }).click();
    const before = (await this.job()).scans.length;
    await this.page
      .locator('input[type=file]')
      .first()
      .setInputFiles({ name: `${role}.csv`, mimeType: 'text/csv', buffer: Buffer.from(text) });
    await expect.poll(async () => (await this.job()).scans.length, { timeout: 60_000 }).toBe(before + 1);
    await this.bench.settled();
  }

  /** Takes in a record at another tablet. */
  async scanElsewhere(text: string, role: 'before' | 'after'): Promise<void> {
    const { status } = await this.ina.post(
      `/api/jobs/${this.n}/scans?name=${role}.csv&role=${role}`,
      new TextEncoder().encode(text),
    );
    expect(status).toBe(201);
    await this.bench.settled();
  }

  /** Types lines into the jot line of a stage. */
  async jot(stage: string, ...lines: string[]): Promise<void> {
    await this.go(stage);
    for (const line of lines) {
      await this.page.getByLabel('Jot line').fill(line);
      await this.page.keyboard.press('Enter');
      await expect.poll(() => this.page.getByLabel('Jot line').inputValue()).toBe('');
    }
  }

  /** Signs the list: what is proposed, and what is added to it. */
  async decide(...added: [kind: string, place?: string][]): Promise<void> {
    await this.go('findings');
    const open = this.page.getByRole('button', { name: /^(Decide|Change)/ }).first();
    await open.click();
    for (const [kind, place] of added) {
      await this.page.getByLabel('Another measure').selectOption({ label: kind });
      const module = this.page.getByLabel('Module', { exact: true });
      if (place !== undefined)
        if (await module.count()) await module.selectOption(place);
        else await this.page.getByLabel('Place', { exact: true }).fill(place);
      await this.page.getByRole('button', { name: 'Add', exact: true }).click();
    }
    await this.page.getByRole('button', { name: 'Sign decision' }).click();
    await expect
      .poll(async () => (await this.job()).decisions.some((d) => d.topic === 'measures'))
      .toBe(true);
  }

  /** The whole lock-out, step by step as the page offers it, evidence of hazards included. */
  async makeSafe(evidence: { pyro?: string; insulation?: string; group?: string } = {}): Promise<void> {
    const { page } = this;
    await this.go('make-safe');
    await page.getByRole('button', { name: 'Begin lock-out' }).click();
    const titles = async (): Promise<string> =>
      (await page.locator('#stage').getByRole('heading', { level: 3 }).allInnerTexts())
        // The list of what was done comes with the first entry, before the next step does.
        .filter((t) => t !== 'Evidence and steps')
        .join(' | ');
    const button = (name: string | RegExp) =>
      page.getByRole('button', { name, exact: typeof name === 'string' });
    const steps: [string | RegExp, () => Promise<void>][] = [
      [
        'Keep what is seen',
        async () => {
          await page.getByLabel('What is seen').fill('Quiet, dry on the outside, no smell.');
          await button(/^Calm/).click();
        },
      ],
      [
        'It stands there',
        async () => {
          await page.getByRole('button', { name: 'Outdoors, away from everything' }).click();
          await page.getByLabel('Where', { exact: true }).fill('yard, by the fence');
        },
      ],
      ['Read', async () => undefined],
      ['Gloves on', () => page.getByText('Air test made just now').click()],
      ['Barrier is up', () => page.getByLabel('Who knows and stays in sight').fill('Tomas Rook')],
      ['Key away, negative off', async () => undefined],
      ['Disconnect is out', async () => undefined],
      [
        'Keep as evidence',
        async () => {
          const group = page.getByLabel('Lowest group, V');
          if (await group.count()) return group.fill(evidence.group ?? '3.7');
          const pyro = /pyro/i.test(await titles());
          await page
            .getByLabel('Reading', { exact: true })
            .fill((pyro ? evidence.pyro : evidence.insulation) ?? '2.1M');
        },
      ],
    ];
    for (let i = 0; i < 40; i++) {
      const view = (await this.ina.get<SafetyView>(`/api/jobs/${this.n}/safety`)).body;
      const count = view.entries.length;
      // The next step is there once the page shows another title: until then its button is the one just pressed.
      const more = async (from: string): Promise<void> => {
        await expect
          .poll(
            async () => (await this.ina.get<SafetyView>(`/api/jobs/${this.n}/safety`)).body.entries.length,
          )
          .toBeGreaterThan(count);
        await expect.poll(titles, { timeout: 20_000 }).not.toBe(from);
      };
      let done = false;
      for (const [name, fill] of steps) {
        if (!(await button(name).isVisible())) continue;
        const shown = await titles();
        await fill();
        await button(name).click();
        await more(shown);
        done = true;
        break;
      }
      if (done) continue;
      if ((await this.job()).gate.holds) return;
      const known = page.getByLabel('Meter on a known source');
      if (await page.getByText('capacitors may still hold').isVisible()) {
        // They have their time: the clock that the server was started with goes on.
        this.pass(7);
        // The tablet's own clock follows: what it measured a moment ago was measured a moment ago.
        const aheadMs = Date.parse(this.bench.clock.iso()) - Date.now();
        await page.addInitScript((ms) => {
          const Real = Date;
          globalThis.Date = class extends Real {
            constructor(...args: []) {
              super(...(args.length === 0 ? ([Real.now() + ms] as unknown as []) : args));
            }
            static override now(): number {
              return Real.now() + ms;
            }
          } as DateConstructor;
        }, aheadMs);
        await page.reload();
        await known.waitFor();
      }
      if (await known.isVisible()) {
        const shown = await titles();
        await known.fill('12.6');
        await known.press('Enter');
        for (const v of ['0.4', '0.2', '0.1', '12.5']) {
          await page.keyboard.type(v);
          await page.keyboard.press('Enter');
        }
        await more(shown);
      } else await page.waitForTimeout(150);
    }
    throw new Error('The lock-out never came to its end.');
  }

  /** Everything the list asks for inside the pack, at the stage that shows it; figures where a check takes one. */
  async work(figures: Record<string, string> = {}): Promise<string[]> {
    const { page } = this;
    const done: string[] = [];
    for (let i = 0; i < 80; i++) {
      const job = await this.job();
      const step = job.steps.find(
        (s) =>
          !s.met &&
          s.waitsFor === '' &&
          !['scan', 'prove', 'match'].includes(s.stage) &&
          s.evidence !== 'level',
      );
      if (!step) return done;
      const key = `${step.evidence} ${step.place}`.trim();
      if (done.includes(key)) throw new Error(`${key} is still open once it was recorded.`);
      done.push(key);
      await this.go(step.stage);
      if (step.evidence === 'insulation-before-lid') await this.insulation();
      else {
        await page
          .getByRole('button', {
            name: `Record: ${[step.place, step.need].filter(Boolean).join(' ')}`,
            exact: true,
          })
          .click();
        if (step.evidence === 'fitted') await page.getByRole('button', { name: 'It is in' }).click();
        else if (step.evidence === 'disposal') {
          await page.getByLabel('Why', { exact: true }).fill('does not hold');
          await page.getByLabel(/^Proof/).fill('recycler, note 4711');
          await page.getByRole('button', { name: `${step.place} is out` }).click();
        } else if (step.evidence === 'wakes') await this.wake(job.pack);
        else {
          const value = figures[step.evidence];
          if (value !== undefined) await page.getByLabel(/^Figure, /).fill(value);
          // What has to be written down before it counts.
          if (step.evidence === 'dried')
            await page.getByLabel(/^How it was dried/).fill('55 °C, 30 h, vacuum');
          await page.getByRole('button', { name: 'Passed', exact: true }).click();
        }
      }
      await expect
        .poll(
          async () =>
            (await this.job()).steps.find((s) => `${s.evidence} ${s.place}`.trim() === key)?.met ?? true,
          { timeout: 20_000 },
        )
        .toBe(true);
    }
    throw new Error(`The list never ends: ${done.join(', ')}`);
  }

  private async wake(profile: PackProfile): Promise<void> {
    const w = wakeOf(profile) as Record<string, number>;
    const { page } = this;
    await page.getByLabel(/^Channels that reply/).fill(String(w.replies));
    for (const [label, value] of [
      ['Highest channel, V', w.highestV],
      ['Lowest channel, V', w.lowestV],
      ['Sum of channels, V', w.sumV],
      ['Pack, V', w.packV],
      [/^Coldest/, w.coldestC],
      [/^Warmest/, w.warmestC],
    ] as const)
      await page.getByLabel(label).fill(value!.toFixed(3));
    await page.getByText('Read, none set').click();
    await page.getByRole('button', { name: 'Record: it woke as it should' }).click();
  }

  /** Tests of the string and of the pack connector, typed off the tester. */
  private async insulation(): Promise<void> {
    await this.insulationOf('Whole pack');
    await this.insulationOf('Another part', 'Pack connector (contactors open)');
  }
  private async insulationOf(what: string, which?: string): Promise<void> {
    const { page } = this;
    await this.go('insulation?view=tester');
    await page.getByText(what, { exact: true }).click();
    if (which) await page.getByRole('combobox', { name: 'Which part' }).selectOption({ label: which });
    // Where the disconnect is out, one pole reaches one half.
    const pole = page.getByRole('radio', { name: 'Both poles' });
    if ((await pole.count()) > 0) await pole.click();
    await page.getByRole('radio', { name: 'It read 0' }).click();
    await page.getByText('Management unit and sense plugs').click();
    await page.getByLabel('Voltage reached, V').fill(await page.getByLabel(/^Test voltage/).inputValue());
    for (const [at, value] of [
      ['15 s', '900M'],
      ['30 s', '1.2G'],
      ['1 min', '1.8G'],
    ] as const)
      await page.getByLabel(at, { exact: true }).fill(value);
    await page.getByRole('button', { name: 'Record test', exact: true }).last().click();
    // Once it is kept the page shows the search again.
    await page.getByRole('heading', { name: 'The string, from negative to positive' }).waitFor();
  }

  /** Records what proves it, each with its figure, and signs; what stays open is a lead's to say why. */
  async prove(figures: Record<string, string>, open = ''): Promise<void> {
    const { page } = this;
    await this.go('prove');
    const proofs = page.getByRole('region', { name: 'What proves this repair' });
    for (const p of (await this.job()).proofs) {
      const value = figures[p.id];
      if (p.state === 'pass' || value === undefined) continue;
      const line = proofs.getByRole('listitem').filter({ hasText: p.need + (p.place ? `, ${p.place}` : '') });
      await line.getByRole('button', { name: 'Record' }).click();
      if (value !== '') await proofs.getByLabel(/^Figure, /).fill(value);
      await proofs.getByRole('button', { name: 'Seen, and right' }).click();
      await expect
        .poll(async () => (await this.job()).proofs.find((x) => x.id === p.id && x.place === p.place)!.state)
        .toBe('pass');
      // It closes itself once the page has it; what stands below moves up under a hand that is quicker.
      await expect.poll(() => proofs.getByRole('button', { name: 'Seen, and right' }).count()).toBe(0);
    }
    if (open !== '') await page.getByRole('textbox', { name: /Why it goes back/ }).fill(open);
    await page.getByRole('button', { name: 'Sign as proven' }).click();
    await expect.poll(async () => (await this.job()).decisions.some((d) => d.topic === 'prove')).toBe(true);
  }

  /** Signs the sheet, and returns what it says. */
  async sheet(ending: string, told: [label: string | RegExp, value: string][] = []): Promise<string> {
    const { page } = this;
    await this.go('hand-over');
    await page.getByRole('radio', { name: ending }).click();
    for (const [label, value] of told) await page.getByLabel(label).fill(value);
    const sheet = page.getByRole('article', { name: 'Hand-over sheet' });
    await sheet.waitFor();
    // A thermal watch that is not over names who carries it on.
    const watch = page.getByLabel(/thermal watch is not over/);
    if (await watch.count()) await watch.fill('yard watch, Edda, until Friday 12:00');
    await page.getByRole('button', { name: 'Sign sheet' }).click();
    await page.getByText('Signed by Ina Holm.').waitFor();
    expect((await this.job()).contradictions).toEqual([]);
    return sheet.innerText();
  }

  /** The archive as the page gives it out; a workshop that has the job takes it in no second time. */
  async archive(): Promise<void> {
    await archiveOf(this.page, this.n);
    // The browser says it too, of the one answer that is meant.
    const told = this.errors.findIndex((e) => e.includes('409'));
    if (told >= 0) this.errors.splice(told, 1);
  }
}

/** From the sheet of a job: its archive goes out, and the workshop that has the job takes it in no second time. */
export async function archiveOf(page: Page, job: number): Promise<void> {
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Archive' }).click(),
  ]);
  expect(download.suggestedFilename()).toBe(`job-${job}.zip`);
  const path = await download.path();
  await page.goto('/vehicles');
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('button', { name: 'Take in an archive' }).click(),
  ]);
  await chooser.setFiles(path);
  await page.getByText(`That job is here already, as job ${job}.`).waitFor();
}
