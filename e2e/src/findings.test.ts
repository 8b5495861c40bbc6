import { normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import { writeScanCsv } from '@cellmend/core/scan';
import {
  driveLegs,
  healthyPack,
  Random,
  simulateRecord,
  type Leg,
  type SimPack,
} from '@cellmend/core/simpack';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { expect, it } from 'vitest';
import type { Job } from '@cellmend/contract/jobs';
import { proveDead } from '../../server/test/depot';
import { root } from '../../server/test/harness';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

const packOf = (name: string): Pack =>
  normalisePack(JSON.parse(readFileSync(join(root, `demo/packs/${name}.json`), 'utf8')) as PackProfile);

function recordOf(
  pack: Pack,
  seed: number,
  change: (sim: SimPack) => void,
  legs: (r: Random, sim: SimPack) => Leg[],
) {
  const random = new Random(seed);
  const sim = healthyPack(pack, random);
  change(sim);
  return Buffer.from(writeScanCsv(simulateRecord(sim, legs(random, sim), random), 3));
}

async function takeIn(page: Page, job: number, name: string, buffer: Buffer): Promise<void> {
  await page.goto(`/jobs/${job}/scan`);
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('button', { name: 'Choose file' }).click(),
  ]);
  await chooser.setFiles({ name, mimeType: 'text/csv', buffer });
  await page
    .getByRole('cell', { name: new RegExp(name) })
    .first()
    .waitFor({ timeout: 60_000 });
  await page.getByRole('link', { name: 'See findings' }).click();
}

it('a bad joint in a drive without a rest: told as such, and no module is offered for it', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  const drive = recordOf(
    packOf('yard-tug'),
    4,
    (sim) => {
      sim.startSoc = 0.8;
      sim.channels[41]!.ohmicRatio *= 2.4;
    },
    (r, sim) => driveLegs(r, sim.capacityAh * 0.6, sim.capacityAh * 0.09, 1),
  );
  await takeIn(page, 143, 'drive.csv', drive);
  await page.getByRole('heading', { name: 'M07, channel 42: high resistance' }).waitFor();
  await page.getByText(/Proven dead, measure the joints of ch042 with a micro-ohmmeter/).waitFor();
  // Without a rest there is no tilt to draw: the course through the drive stands in its place.
  await page.getByRole('img', { name: /Deviation of 100 channels/ }).waitFor();
  expect(await page.getByRole('radio', { name: 'Course' }).isChecked()).toBe(true);
  await page.getByRole('button', { name: 'Decide on M07' }).click();
  const list = page.getByRole('list', { name: 'Measures' });
  expect(await list.getByRole('listitem').allTextContents()).toEqual(['Mend joint or tap wireM07']);
  expect(await page.getByRole('button', { name: 'M07', exact: true }).getAttribute('aria-pressed')).toBe(
    'false',
  );
  await page.getByRole('button', { name: /^Sign/ }).click();
  await page.getByText('Mend joint or tap wire M07. Signed by Ina Holm.').waitFor();
  await page.goto('/jobs/143/match');
  await page.getByText('The decision was “mend joint or tap wire M07”, so nothing has to match.').waitFor();

  // The plan goes to the joints and takes no module out; once they were measured nobody is asked to measure them.
  const ina = await depot.bench().as('Ina Holm');
  await proveDead(ina, depot.bench(), 143);
  const { body: job } = await ina.get<Job>('/api/jobs/143');
  const links = job.pack.links!.filter((l) => l.kind === 'busbar');
  const beside = links.filter((l) => l.between.includes('M07')).map((l) => l.id);
  const others = links.filter((l) => !beside.includes(l.id)).slice(0, 3);
  await page.goto('/jobs/143/strip-down');
  const steps = page.getByRole('list', { name: 'Steps' }).getByRole('listitem');
  await steps.filter({ hasText: beside[0]! }).first().waitFor();
  expect((await steps.allTextContents()).filter((s) => /^M\d\d/.test(s))).toEqual([]);
  for (const [place, microohm] of [
    [beside[0]!, 395] as const,
    ...others.map((l, i) => [l.id, 50 + i] as const),
  ]) {
    const kept = await ina.post(`/api/jobs/143/readings`, {
      kind: 'resistance',
      place,
      value: microohm / 1e6,
      stage: 'strip-down',
      observedAt: depot.bench().clock.iso(),
    });
    expect(kept.status).toBe(201);
  }
  await page.goto('/jobs/143/findings');
  await page
    .getByText(new RegExp(`It is the joint: .*${beside[0]}.* 395 µΩ, similar joints 51 µΩ`))
    .waitFor();
  expect(await page.getByText(/measure the joints of ch042/).count()).toBe(0);
  expect(errors).toEqual([]);
});

it('one rest near full: its end of the picture is drawn, the other says what is missing', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  const still: Leg[] = [{ durationS: 600, currentA: 0, sampleS: 10 }];
  const low = (sim: SimPack): void => void (sim.channels[4]!.deltaSoc -= 0.09);
  const at = (soc: number, seed: number): Buffer =>
    recordOf(
      packOf('tarn-48v'),
      seed,
      (s) => ((s.startSoc = soc), low(s)),
      () => still,
    );
  await takeIn(page, 146, 'full.csv', at(0.9, 6));
  await page.getByRole('heading', { name: /channel 5: this record cannot tell yet/ }).waitFor();
  await page.getByText('no rest', { exact: true }).waitFor();
  await page.getByText('near full, 91 %').waitFor();
  expect(await page.getByRole('radio', { name: 'Near full' }).isChecked()).toBe(true);
  // A rest near empty from the same pack tells balance from capacity, and draws the lines.
  await takeIn(page, 146, 'empty.csv', at(0.2, 6));
  await page.getByRole('heading', { name: 'M1 is out of balance' }).waitFor();
  expect(await page.getByText('no rest', { exact: true }).count()).toBe(0);
  expect(errors).toEqual([]);
});
