import { describe, expect, it } from 'vitest';
import { ApiProblem, ServerAway } from './client';
import { Keys, uncertain } from './keyFor';

const problem = (status: number): ApiProblem => new ApiProblem({ type: '', title: '', status, detail: '' });

describe('the key of an entry', () => {
  it('stays while it is not certain whether the entry arrived, so that a second press is the same entry', () => {
    const keys = new Keys();
    const first = keys.of({ a: 1 });
    for (const e of [new ServerAway(), problem(503), problem(500), problem(429)]) {
      keys.failed(e);
      expect(keys.of({ a: 1 })).toBe(first);
    }
  });

  it('is new for another entry, and once the answer is known', () => {
    const keys = new Keys();
    const first = keys.of({ a: 1 });
    expect(keys.of({ a: 2 })).not.toBe(first);
    const again = keys.of({ a: 1 });
    keys.failed(problem(422));
    expect(keys.of({ a: 1 })).not.toBe(again);
    const third = keys.of({ a: 1 });
    keys.answered();
    expect(keys.of({ a: 1 })).not.toBe(third);
  });

  it('a refusal is certain, an answer that never came is not', () => {
    expect([400, 403, 404, 409, 422, 423].some((s) => uncertain(problem(s)))).toBe(false);
    expect([0, 408, 499, 500, 503].every((s) => uncertain(problem(s)))).toBe(true);
    expect(uncertain(new ServerAway())).toBe(true);
  });
});
