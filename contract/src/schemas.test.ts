import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { DecisionBodySchema, NewDecisionSchema } from './decisions';
import { PHASES, STAGES } from '@cellmend/core/route';
import { observationSchema } from './observations';
import { PackProfileSchema } from './pack';
import { fieldsOf } from './problem';
import { NewReadingSchema } from './records';
import { openApi } from './openapi';
import { ROUTES } from './routes';

const said = (result: { success: boolean; error?: unknown }): string =>
  result.success
    ? ''
    : fieldsOf(result.error as never)
        .map((f) => `${f.field}: ${f.message}`)
        .join('; ');
const reading = {
  kind: 'voltage',
  place: 'M01',
  value: 3.9,
  stage: 'bench',
  observedAt: '2026-03-01T09:00:00Z',
};

describe('what crosses the border', () => {
  it('takes every demo pack, and says which field of a bad one is wrong', () => {
    const folder = join(import.meta.dirname, '../../demo/packs');
    for (const name of readdirSync(folder)) {
      const body = JSON.parse(readFileSync(join(folder, name), 'utf8')) as object;
      expect(said(PackProfileSchema.safeParse(body)), name).toBe('');
      expect(said(PackProfileSchema.safeParse({ ...body, chemistry: 'lead' }))).toMatch(/^chemistry:/);
      expect(said(PackProfileSchema.safeParse({ ...body, ratedCapacityAh: Infinity }))).toMatch(
        /^ratedCapacityAh:/,
      );
      expect(said(PackProfileSchema.safeParse({ ...body, ocv: [[0, 3]] }))).toMatch(/^ocv:/);
    }
  });

  it.each<[string, object, RegExp]>([
    ['a value that is none', { value: NaN }, /^value:/],
    ['no value', { value: null }, /^value: A note or a trouble code needs text/],
    ['an unknown kind', { kind: 'smell' }, /^kind:/],
    ['an unknown stage', { stage: 'lunch' }, /^stage:/],
    ['a date that is none', { observedAt: 'yesterday' }, /^observedAt: A date and time/],
    [
      'a correction without a reason',
      { supersedes: '6c1f7b8e-0c0b-4a7e-9d0e-3f1f4a5b6c7d' },
      /^reason: A correction says why/,
    ],
    ['a note without words', { kind: 'note' }, /^value:/],
  ])('refuses a reading with %s', (_name, change, message) => {
    expect(said(NewReadingSchema.safeParse({ ...reading, ...change }))).toMatch(message);
  });

  it('knows what a check was worked out from: a board with what was metered of it', () => {
    const kept = {
      passed: true,
      value: 4,
      text: '',
      board: {
        findingId: '00000000-0000-4000-8000-000000000001',
        meter: [{ channel: 'ch01', voltageV: 3.7 }],
      },
      found: { state: 'pass', says: '' },
    };
    expect(observationSchema('work', 'board-agrees')!.parse(kept)).toEqual(kept);
  });

  it('takes a plain reading and a note', () => {
    expect(NewReadingSchema.parse(reading)).toMatchObject({ text: '', supersedes: null });
    expect(NewReadingSchema.safeParse({ ...reading, kind: 'note', value: null, text: 'dry' }).success).toBe(
      true,
    );
  });

  it('refuses decisions of no known topic and versions below zero', () => {
    expect(DecisionBodySchema.safeParse({ topic: 'party' }).success).toBe(false);
    expect(
      NewDecisionSchema.safeParse({ body: { topic: 'prove', passed: true }, baseVersion: -1 }).success,
    ).toBe(false);
  });
});

describe('the route of a job', () => {
  it('has every stage in one phase, with a question', () => {
    const stages = PHASES.flatMap((p) => p.stages);
    expect(stages.map((s) => s.id)).toEqual([...STAGES]);
    expect(stages.every((s) => s.question.endsWith('?'))).toBe(true);
  });
});

describe('the description of the API', () => {
  const document = openApi('1.0.0') as {
    openapi: string;
    paths: Record<
      string,
      Record<string, { responses: object; requestBody?: object; parameters: { name: string; in: string }[] }>
    >;
  };

  it('is OpenAPI 3.1 with an answer and a problem for every address', () => {
    expect(document.openapi).toBe('3.1.0');
    for (const r of ROUTES) {
      const operation = document.paths[`/api${r.path}`]![r.method]!;
      expect(Object.keys(operation.responses)).toEqual([String(r.status), 'default']);
      expect(Boolean(operation.requestBody)).toBe(Boolean(r.body ?? r.file));
      for (const [, name] of r.path.matchAll(/\{(\w+)\}/g))
        expect(operation.parameters.some((p) => p.in === 'path' && p.name === name)).toBe(true);
    }
  });

  it('lists no address twice', () => {
    expect(new Set(ROUTES.map((r) => `${r.method} ${r.path}`)).size).toBe(ROUTES.length);
  });
});
