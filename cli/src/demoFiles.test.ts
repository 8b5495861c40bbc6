import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { demoFiles } from './demoFiles';

it('the committed demo files are what the seeded simulator makes', () => {
  for (const [name, text] of Object.entries(demoFiles())) {
    expect(readFileSync(join(import.meta.dirname, '../../demo', name), 'utf8') === text, name).toBe(true);
  }
});
