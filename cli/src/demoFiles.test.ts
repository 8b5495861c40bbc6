import { PackProfileSchema } from '@cellmend/contract/pack';
import { checkProfile } from '@cellmend/core/pack';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { demoFiles } from './demoFiles';

it('the committed demo files are what the seeded simulator makes', () => {
  for (const [name, text] of Object.entries(demoFiles())) {
    expect(readFileSync(join(import.meta.dirname, '../../demo', name), 'utf8') === text, name).toBe(true);
  }
});

it('every demo pack passes the profile check without an error', () => {
  const packs = Object.entries(demoFiles()).filter(([name]) => name.startsWith('packs/'));
  expect(packs.length).toBeGreaterThanOrEqual(5);
  for (const [name, text] of packs)
    expect(checkProfile(PackProfileSchema.parse(JSON.parse(text))).faults, name).toEqual([]);
});
