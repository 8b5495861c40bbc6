import { expect, it } from 'vitest';
import { newJob, proveDead } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

it('makes the pilot car safe, finds its leak in three tests, and stops', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Tomas Rook');
  await page.goto('/jobs/144/strip-down');
  await page.getByRole('heading', { name: 'Strip down is closed by the gate' }).waitFor();
  await page.getByRole('link', { name: 'Make safe' }).last().click();
  await page.getByRole('button', { name: 'Begin lock-out' }).click();
  await page.getByRole('button', { name: 'Read', exact: true }).click();
  await page.getByText('Air test made just now').click();
  await page.getByRole('button', { name: 'Gloves on' }).click();
  await page.getByLabel('Who knows and stays in sight').fill('Ina Holm');
  await page.getByRole('button', { name: 'Barrier is up' }).click();
  await page.getByRole('button', { name: 'Key away, negative off' }).click();
  await page.getByRole('button', { name: 'Disconnect is out' }).click();
  await page.getByText('capacitors may still hold').waitFor();
  // The wait cannot be shortened in the app; the test moves the clock its server was started with.
  depot.pass(7);
  await page.reload();
  // Enter goes from figure to figure; what was typed survives a reload.
  await page.getByLabel('Meter on a known source').fill('12.6');
  await page.reload();
  expect(await page.getByLabel('Meter on a known source').inputValue()).toBe('12.6');
  await page.getByLabel('Meter on a known source').press('Enter');
  for (const v of ['1.4', '0.3', '0.2', '12.5']) {
    await page.keyboard.type(v);
    await page.keyboard.press('Enter');
  }
  await page.getByText('Proven dead at all three points').waitFor();
  await page.getByText(/^Proven dead \d\d:\d\d/).waitFor();

  await page.goto('/jobs/144/insulation');
  await page.getByRole('button', { name: 'Type the two voltages' }).click();
  await page.getByRole('radio', { name: 'Pack alone' }).click();
  await page.getByLabel('Pole to pole, V').fill('318');
  await page.getByLabel('− to chassis, V').fill('145.6');
  await page.getByLabel('+ to chassis, V').fill('172.1');
  await page.getByText(/The leak sits 46 % up the string/).waitFor();
  await page.getByRole('button', { name: 'Record', exact: true }).click();
  let tests = 0;
  while ((await page.getByRole('heading', { level: 2, name: /^At M/ }).count()) === 0) {
    expect(++tests).toBeLessThanOrEqual(3);
    await page.getByRole('button', { name: 'Record test' }).click();
    await page.getByText('Management unit and sense plugs').click();
    await page.getByRole('radio', { name: 'It read 0' }).click();
    await page.getByRole('button', { name: 'Run on Demo insulation tester' }).click();
    await page.getByRole('heading', { name: 'Insulation tests' }).waitFor({ timeout: 60_000 });
  }
  await page.getByRole('heading', { level: 2, name: 'At M06' }).waitFor();
  await page.getByRole('option', { name: /M06, leaks.*suspect/ }).waitFor();

  // Stop is one key away, closes the gate, and says what to do first.
  await page.locator('#stage').click({ position: { x: 4, y: 4 } });
  await page.keyboard.press('s');
  await page.getByRole('dialog', { name: 'Stop' }).getByText('Stop charging and discharging').waitFor();
  await page.getByRole('button', { name: 'Stop the work, close the gate' }).click();
  await page.getByText('Thermal watch, every 15 min').waitFor();
  await page.getByText('Stopped: hot').first().waitFor();
  await page.goto('/jobs/144/rebuild');
  await page.getByRole('heading', { name: 'Rebuild is closed by the gate' }).waitFor();
  expect(errors).toEqual([]);
});

it('with the disconnect out one pole reaches one half: the page asks which and paints it, and a pass after a leak is asked of first', async () => {
  const { page, errors } = await depot.tablet();
  const bench = depot.bench();
  const ina = await bench.as('Ina Holm');
  const n = await newJob(ina, 'Corrie', 'Corrie with a lamp');
  await proveDead(ina, bench, n);
  await signInAs(page, 'Ina Holm');
  const record = page.getByRole('button', { name: 'Record test', exact: true }).last();
  const type = async (ohm: string): Promise<void> => {
    await page.getByText('Management unit and sense plugs').click();
    await page.getByLabel('1 min', { exact: true }).fill(ohm);
    expect(await record.isDisabled()).toBe(true);
    await page.getByRole('radio', { name: 'It read 0' }).click();
  };
  await page.goto(`/jobs/${n}/insulation?view=tester`);
  await page.getByText('Whole pack', { exact: true }).click();
  await page.getByText('From one pole it reaches one side alone: L6 is out.').waitFor();
  await type('1.8G');
  expect(await record.isDisabled()).toBe(true);
  await page.getByRole('radio', { name: '− pole' }).click();
  await page.getByText('Reaches M01 to M06, not M07 to M12: L6 is out.').waitFor();
  await page.getByRole('option', { name: /^M01, reached/ }).waitFor();
  await page.getByRole('option', { name: /^M12, not reached/ }).waitFor();
  // What was typed before the pole was said is still there.
  expect(await page.getByLabel('1 min', { exact: true }).inputValue()).toBe('1.8G');
  await record.click();
  await page.getByText('M01 to M06 are clean.').waitFor();
  await page.getByRole('option', { name: /^M01, clean/ }).waitFor();
  await page.getByRole('option', { name: /^M12, not tested/ }).waitFor();

  for (const ohm of ['6.2k', '1.8G']) {
    await page.goto(`/jobs/${n}/insulation?view=tester`);
    await page.getByText('Modules', { exact: true }).click();
    for (const end of ['from', 'to']) await page.getByLabel(end, { exact: true }).selectOption('M06');
    await type(ohm);
    if (ohm === '6.2k') await page.getByLabel('Voltage reached, V').fill('30');
    await record.click();
    await page.getByRole('heading', { name: 'Insulation tests' }).waitFor();
  }
  await page.getByRole('heading', { level: 2, name: 'M06 leaked, and passes now' }).waitFor();
  const question = page.getByText('Has it dried since the fault showed, or warmed up?').locator('../..');
  await question.getByRole('button', { name: 'Yes' }).click();
  await page.getByRole('heading', { level: 2, name: 'M06 leaked and passes now: not trusted' }).waitFor();
  // The clips were proven with the test: that is not asked again.
  expect(await page.getByText('Did the clips sit on bare metal').count()).toBe(0);
  expect(errors).toEqual([]);
});
