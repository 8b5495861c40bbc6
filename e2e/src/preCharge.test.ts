import type { Job } from '@cellmend/contract/jobs';
import { expect, it } from 'vitest';
import { measures } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

it('a fuse is proven without any scan: pre-charge typed off a meter, kept over a reload, judged and recorded', async () => {
  const ina = await depot.bench().as('Ina Holm');
  await ina.post('/api/jobs/147/decisions', {
    body: measures(['replace-fuse', 'main fuse']),
    baseVersion: 0,
  });
  const { page, context, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/147/prove');
  const line = page.getByRole('listitem').filter({ hasText: 'Contactors and pre-charge' });
  await line.getByRole('button', { name: 'Record' }).click();
  const bus = line.getByLabel('Bus as it came: seconds, volts, a line each');
  await bus.fill('0 0\n0.02 soon');
  await line.getByText('Line 2, “0.02 soon”, is no time with volts.').waitFor();
  // A main that closes on little more than half of the pack: its contacts burn.
  const rise = (untilS: number): string =>
    Array.from({ length: 60 }, (_, i) => {
      const t = i * 0.005;
      return `${t.toFixed(3)} ${(t < untilS ? 388 * (1 - Math.exp(-t / 0.03)) : 388).toFixed(1)}`;
    }).join('\n');
  await bus.fill(rise(0.03));
  await line.getByText(/The main closed on [56]\d % of the pack.*or its contacts burn/).waitFor();
  await line.getByRole('button', { name: 'Record: not right' }).waitFor();
  await page.reload();
  await line.getByRole('button', { name: 'Record' }).click();
  await line.getByRole('button', { name: 'Record: not right' }).waitFor();
  await bus.fill(rise(0.2));
  await line.getByLabel('Pack, metered, V').fill('388.2');
  await line.getByText(/The main closed on (9[5-9]|100) % of the pack or more/).waitFor();
  await line.getByText(/That it opens again was not seen/).waitFor();
  await line.getByRole('button', { name: 'Record: right' }).click();
  await line.getByRole('button', { name: 'Again' }).waitFor();
  const { proofs } = (await ina.get<Job>('/api/jobs/147')).body;
  expect(proofs.find((p) => p.id === 'contactors')!.state).toBe('pass');
  // A repair that goes back says what was not seen of it, though nobody signed under that.
  await page.goto('/jobs/147/hand-over');
  await page.getByRole('radio', { name: 'Repaired' }).click();
  const sheet = page.getByRole('article', { name: 'Hand-over sheet' });
  await sheet.getByRole('heading', { name: 'Not proven yet' }).waitFor();
  await sheet.getByText(/^Codes stay away/).waitFor();
  expect(await sheet.innerText()).toMatch(/Proven by\s+Contactors and pre-charge/);
  expect(errors).toEqual([]);
  await context.close();
});
