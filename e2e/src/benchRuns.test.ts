import type { BenchView } from '@cellmend/contract/bench';
import { levelStick } from '@cellmend/devices/simulatedModule';
import { SimulatedCharger } from '@cellmend/devices/simulatedCharger';
import { afterAll, expect, it } from 'vitest';
import { newJob } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();
const SPEED = 200;
const chargers: SimulatedCharger[] = [];
afterAll(() => {
  for (const c of chargers) c.stop();
});

it('four sticks are started in seven presses, one is taken off and goes on, and what they gave is in the record', async () => {
  const bench = depot.bench();
  const ina = await bench.as('Ina Holm');
  for (let k = 0; k < 4; k++) {
    const capacityAh = 4.2 + 0.4 * k;
    const { charger, port } = await SimulatedCharger.start(
      { role: 'charger', mostV: 60, mostA: 20, speed: SPEED },
      levelStick(capacityAh, 0.15 * capacityAh),
    );
    chargers.push(charger);
    const made = await ina.post<{ id: string }>('/api/instruments', {
      name: `Rack ${k + 1}`,
      kind: 'charger',
      driver: 'scpi-charger',
      host: '127.0.0.1',
      port,
      mostV: 60,
      mostA: 20,
    });
    await bench.running.store.models.Instrument.update({ timeScale: SPEED }, { where: { id: made.body.id } });
  }
  const n = await newJob(ina, 'Ferry', 'rack');
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto(`/jobs/${n}/bench`);
  await page.getByRole('heading', { name: 'Nothing has run yet' }).waitFor();

  // Seven presses: the tool, four sticks, the look, and on.
  let presses = 0;
  const press = async (name: string | RegExp): Promise<void> => {
    presses++;
    await page.getByRole('button', { name }).or(page.getByRole('radio', { name })).first().click();
  };
  await press('Start runs');
  const form = page.getByRole('region', { name: 'Start runs' });
  await form.getByText('4 of 4 channels free').waitFor();
  for (const place of ['S01', 'S02', 'S03', 'S04']) {
    presses++;
    await form.getByRole('button', { name: place, exact: true }).click();
  }
  expect(await form.getByRole('button', { name: 'Start 4 of them' }).isDisabled()).toBe(true);
  await press(/^Leads the right way round/);
  await press('Start 4 of them');
  expect(presses).toBeLessThanOrEqual(8);
  const now = page.getByRole('region', { name: 'On the bench now' });
  await now.getByText('4 on').waitFor();
  // A run counts as on from the moment it is begun, a little before its instrument has switched.
  await expect.poll(() => chargers.filter((c) => c.outputIsOn).length).toBe(4);

  // One is taken off by hand, and goes on where it stood.
  const third = now.getByRole('article', { name: /^S03 on/ });
  await third.getByRole('button', { name: 'Output off' }).click();
  await third.getByText('Stopped by Ina Holm.').waitFor();
  expect(chargers[2]!.outputIsOn).toBe(false);
  await expect
    .poll(() => page.getByLabel('Answer').getByRole('heading').innerText(), { timeout: 60_000 })
    .toBe('S03: interrupted, output off');
  await third.getByRole('button', { name: 'Go on', exact: true }).click();
  await third.getByRole('button', { name: /^Leads the right way round/ }).click();
  await third.getByRole('button', { name: 'Go on with Rack 3' }).click();
  await now.getByText('4 on').waitFor();

  // The map and the plan know what runs; the plan is gone by, and told from what comes.
  await page.getByRole('option', { name: /^S04, .*runs on the bench/ }).waitFor();
  await press('How many days');
  const days = page.getByRole('region', { name: 'Days on the bench' });
  await days.getByText(/^Done /).waitFor({ timeout: 30_000 });
  await days.getByRole('button', { name: 'Go by this plan' }).click();
  await days.getByText('As planned.').waitFor();

  const view = async (): Promise<BenchView> => (await ina.get<BenchView>(`/api/jobs/${n}/bench`)).body;
  await expect.poll(async () => (await view()).runs.length, { timeout: 90_000, interval: 500 }).toBe(4);
  const { runs } = await view();
  // Each holds what its cells hold, as far as it was charged; the fuller ones in their order.
  const ah = ['S01', 'S02', 'S03', 'S04'].map((p) => runs.find((r) => r.place === p)!.capacityAh!);
  ah.forEach((v, k) => {
    expect(v).toBeGreaterThan(0.88 * (4.2 + 0.4 * k));
    expect(v).toBeLessThan(1.1 * (4.2 + 0.4 * k));
  });
  expect(runs.find((r) => r.place === 'S03')!.says.join(' ')).toMatch(
    /Interrupted once: stopped by Ina Holm/,
  );
  expect(chargers.some((c) => c.outputIsOn)).toBe(false);
  const cycles = page.getByRole('region', { name: 'Cycles so far' });
  await cycles.getByText('S04').waitFor();
  await now.getByText('Done: it is in the record.').first().waitFor();
  expect(errors).toEqual([]);
}, 150_000);
