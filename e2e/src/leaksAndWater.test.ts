import { expect, it } from 'vitest';
import { newJob, proveDead } from '../../server/test/depot';
import { signInAs, visit } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();
const DAY_MS = 86_400_000;

it('water: the vehicle’s figure is a curve with a day on which it stops, and eighty-four valves say what to order', async () => {
  const { page, errors } = await depot.tablet();
  const ina = await depot.bench().as('Ina Holm');
  const n = await newJob(ina, 'Corrie', 'Corrie, a lamp after rain');
  await signInAs(page, 'Ina Holm');
  await visit(page, `/jobs/${n}/insulation?view=vehicle`);
  for (const [days, kiloOhm, after] of [
    [40, 420, 'standing'],
    [30, 361, 'driving'],
    [21, 322, 'driving'],
    [12, 270, 'standing'],
    [6, 61, 'rain'],
  ] as const) {
    const at = new Date(Date.now() - days * DAY_MS);
    const local = new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
    await page.getByLabel('The vehicle shows').fill(`${kiloOhm}k`);
    await page.getByLabel('When, if not now').fill(local);
    await page.getByRole('radio', { name: `After ${after}` }).click();
    await page.getByRole('button', { name: 'Record', exact: true }).click();
    await expect.poll(() => page.getByLabel('The vehicle shows').inputValue()).toBe('');
  }
  // The trend is of the dry ones; the one after rain stands beside it.
  await page.getByText(/^Falls by 3\d % a month/).waitFor();
  await page.getByText('By 4 dry readings').waitFor();
  await page.getByText(/the vehicle no longer starts: from/).waitFor();

  await page.getByRole('radio', { name: 'What is seen' }).click();
  const ways = async (which: string, looks: string, now?: string): Promise<void> => {
    await page.getByLabel('Which', { exact: true }).fill(which);
    await page.getByRole('radio', { name: looks, exact: true }).click();
    if (now) await page.getByRole('radio', { name: now, exact: true }).click();
    await page.getByRole('button', { name: /^Record V/ }).click();
    await expect.poll(() => page.getByLabel('Which', { exact: true }).inputValue()).toBe('');
  };
  await ways('V1 to V84', 'Clean');
  await ways('V3, V17, V40', 'Torn');
  await page.getByText('Order 3 breather valves').waitFor();
  await ways('V8 to V12', 'Dirty', 'Cleaned and reused');
  await page.getByText('Cleaned and reused: V8 to V12 (5)').waitFor();
  await ways('V17', 'Clean', 'New');
  await page.getByText('Order 2 breather valves').waitFor();
  // Mud outside, bay by bay, beside what was seen inside.
  const mud = async (from: string, to: string, mm: string): Promise<void> => {
    await page.getByLabel('from').selectOption(from);
    await page.getByLabel('to', { exact: true }).selectOption(to);
    await page.getByLabel('Mud, mm').fill(mm);
    await page.getByRole('button', { name: /^Record M/ }).click();
    await expect.poll(() => page.getByLabel('Mud, mm').inputValue()).toBe('');
  };
  await mud('M01', 'M03', '18');
  await mud('M07', 'M12', '0');
  const seen = async (what: string, at: string): Promise<void> => {
    await page.getByRole('radio', { name: what, exact: true }).click();
    await page.getByLabel('At module').selectOption(at);
    await page.getByRole('button', { name: `Record ${what} at ${at}` }).click();
    await page.getByRole('button', { name: 'Choose what is seen' }).waitFor();
  };
  await seen('water line', 'M01');
  await seen('clean and dry', 'M08');
  await page.getByText(/^18 mm of mud outside over the wet modules, 0 mm over the dry ones/).waitFor();
  expect(errors).toEqual([]);
});

it('two leaks: after the first is found the search goes on, and the proof ends', async () => {
  const { page, errors } = await depot.tablet();
  const bench = depot.bench();
  const ina = await bench.as('Ina Holm');
  const n = await newJob(ina, 'Corrie', 'Corrie with two leaks');
  await proveDead(ina, bench, n);
  await signInAs(page, 'Ina Holm');
  /** Types a test of what the form is set to. */
  const type = async (ohm: string, volts: string): Promise<void> => {
    await page.getByText('Management unit and sense plugs').click();
    await page.getByRole('radio', { name: 'It read 0' }).click();
    await page.getByLabel('Voltage reached, V').fill(volts);
    await page.getByLabel('1 min', { exact: true }).fill(ohm);
    await page.getByRole('button', { name: 'Record test', exact: true }).last().click();
    await page.getByRole('heading', { name: 'Insulation tests' }).waitFor();
  };
  await visit(page, `/jobs/${n}/insulation?view=tester`);
  await page.getByLabel('from').selectOption('M05');
  await page.getByLabel('to', { exact: true }).selectOption('M05');
  await type('34k', '34');
  await page.getByText('Prove it: M05 out, then test the rest as mounted.').waitFor();
  await page.getByRole('button', { name: 'Record test' }).click();
  await page.getByRole('radio', { name: 'All but one' }).click();
  await page.getByLabel('out is').selectOption('M05');
  // Without it, and with the disconnect out, the string is in parts.
  await page.getByRole('radio', { name: 'Both poles' }).click();
  await type('71k', '71');
  await page.getByRole('heading', { name: 'At M05, and at one more at least' }).waitFor();
  await page.getByText('Everything but M05 leaks as well.').first().waitFor();
  // The second, tested alone, and then everything that is left passes.
  await page.getByRole('button', { name: 'Record test' }).click();
  await page.getByRole('radio', { name: 'Modules', exact: true }).click();
  await page.getByLabel('from').selectOption('M10');
  await page.getByLabel('to', { exact: true }).selectOption('M10');
  await type('71k', '71');
  await page.getByRole('heading', { name: 'At M05 and M10' }).waitFor();
  await page.getByText('Prove it: M05 and M10 out, then test the rest as mounted.').waitFor();
  for (const [from, to] of [
    ['M01', 'M04'],
    ['M06', 'M09'],
    ['M11', 'M12'],
  ] as const) {
    await page.getByRole('radio', { name: 'Tests', exact: true }).click();
    await page.getByRole('radio', { name: 'Modules', exact: true }).click();
    await page.getByLabel('from').selectOption(from);
    await page.getByLabel('to', { exact: true }).selectOption(to);
    // The disconnect lies between M06 and M07.
    if (from === 'M06') await page.getByRole('radio', { name: 'Both poles' }).click();
    await type('2.1G', '500');
  }
  await page.getByText('Proven: M05 and M10 leak alone, and everything else passes.').waitFor();
  expect(errors).toEqual([]);
});
