import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { asks, RULES, withoutRule, type RuleName } from './rules';

const code = readdirSync(import.meta.dirname)
  .filter((f) => f.endsWith('.ts') && !f.endsWith('.test.ts') && f !== 'rules.ts')
  .map((f) => readFileSync(join(import.meta.dirname, f), 'utf8'))
  .join('\n');

describe('rules of the diagnosis', () => {
  it.each(Object.keys(RULES))('%s is asked by the code that it names', (rule) => {
    expect(code).toContain(`asks('${rule}')`);
  });
  it('are all asked, but for one that a benchmark leaves out, and only while it does', () => {
    const rule: RuleName = 'short-span';
    expect(asks(rule)).toBe(true);
    expect(withoutRule(rule, () => [asks(rule), asks('one-reading')])).toEqual([false, true]);
    expect(() =>
      withoutRule(rule, () => {
        throw new Error('a fit failed');
      }),
    ).toThrow('a fit failed');
    expect(asks(rule)).toBe(true);
  });
});
