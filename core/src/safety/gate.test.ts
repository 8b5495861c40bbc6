import fc from 'fast-check';
import { expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import {
  capacitorWait,
  entryFault,
  lockoutState,
  lockoutSteps,
  type StepId,
  type LockoutContext,
  type LockoutEntry,
  type StepData,
} from '.';
import { HAZARDS } from './hazards';
import type { Moment } from './moment';

const pack = normalisePack({ ...pilotCar(), busCapacitanceF: 1.1e-3, busBleederOhm: 82e3 });
const START = Date.parse('2026-11-25T08:00:00Z');

/** Any step at all, done rightly or wrongly. */
const step: fc.Arbitrary<StepData> = fc.oneof(
  fc.constant<StepData>({ step: 'hazards' }),
  fc.constant<StepData>({ step: 'low-voltage' }),
  fc.constant<StepData>({ step: 'second-person' }),
  fc.record({
    step: fc.constant('gloves' as const),
    gloveClass: fc.constantFrom('00' as const, '0' as const),
    testedOn: fc.constantFrom('2026-10-01', '2026-01-01'),
    airTest: fc.boolean(),
  }),
  fc.record({ step: fc.constant('barrier' as const), secondPerson: fc.constantFrom('Ina', ' ') }),
  fc.record({ step: fc.constant('disconnect' as const), keptBy: fc.constantFrom('Tomas', '') }),
  fc.record({
    step: fc.constant('look' as const),
    text: fc.constantFrom('dent', ''),
    calm: fc.boolean(),
  }),
  fc.record({
    step: fc.constant('quarantine' as const),
    decision: fc.constantFrom('outdoors' as const, 'stays' as const),
    place: fc.constantFrom('yard', ''),
    reason: fc.constantFrom('small dent', ''),
  }),
  fc.record({
    step: fc.constant('pyro-evidence' as const),
    ohm: fc.constantFrom(null, 0.01),
    text: fc.constantFrom('open', ''),
  }),
  fc.record({
    step: fc.constant('insulation-evidence' as const),
    ohm: fc.constantFrom(null, 5e5),
    text: fc.constant(''),
  }),
  fc.record({
    step: fc.constant('group-voltages' as const),
    lowestV: fc.double({ min: 0, max: 3, noNaN: true }),
    text: fc.constant(''),
  }),
  fc.record({
    step: fc.constant('live-dead-live' as const),
    meterBeforeV: fc.constantFrom(12.6, 0.1),
    plusMinusV: fc.constantFrom(0.5, 170),
    plusChassisV: fc.constantFrom(0.2, 88),
    minusChassisV: fc.constant(0.1),
    meterAfterV: fc.constantFrom(12.5, 0),
  }),
);
/** The step that is next, done as it should be. */
const RIGHT: Record<StepId, StepData | null> = {
  look: { step: 'look', text: 'dent', calm: true },
  quarantine: { step: 'quarantine', decision: 'outdoors', place: 'yard', reason: '' },
  'pyro-evidence': { step: 'pyro-evidence', ohm: 0.01, text: '' },
  'insulation-evidence': { step: 'insulation-evidence', ohm: 5e5, text: '' },
  'group-voltages': { step: 'group-voltages', lowestV: 2.4, text: '' },
  hazards: { step: 'hazards' },
  gloves: { step: 'gloves', gloveClass: '0', testedOn: '2026-10-01', airTest: true },
  barrier: { step: 'barrier', secondPerson: 'Ina' },
  'low-voltage': { step: 'low-voltage' },
  disconnect: { step: 'disconnect', keptBy: 'Tomas' },
  wait: null,
  'live-dead-live': {
    step: 'live-dead-live',
    meterBeforeV: 12.6,
    plusMinusV: 1,
    plusChassisV: 0.2,
    minusChassisV: 0.1,
    meterAfterV: 12.5,
  },
  'second-person': { step: 'second-person' },
  join: null,
};
const entry = fc.record({
  right: fc.boolean(),
  data: step,
  minutes: fc.integer({ min: 0, max: 9 }),
  /** Now and then somebody sets the wall clock, minutes. */
  set: fc.oneof(
    { arbitrary: fc.constant(0), weight: 30 },
    { arbitrary: fc.integer({ min: -900, max: 900 }), weight: 1 },
  ),
  by: fc.constantFrom('ina', 'tomas'),
});

it('whatever is tried in whatever order, the gate never opens without every step, the wait and a proof', () => {
  let opened = 0;
  fc.assert(
    fc.property(
      fc.subarray([...HAZARDS]),
      fc.boolean(),
      fc.array(entry, { minLength: 20, maxLength: 90 }),
      (hazards, twoPersons, tried) => {
        const context: LockoutContext = {
          pack,
          hazards,
          packV: 353,
          twoPersons,
          gateHours: 10,
          leastWaitMin: 3,
          deadV: 5,
        };
        const taken: LockoutEntry[] = [];
        let minute = 0;
        let set = 0;
        const now = (): Moment => ({
          wallMs: START + (minute + set) * 60_000,
          bootId: 'boot',
          upS: minute * 60,
        });
        for (const t of tried) {
          minute += t.minutes;
          set += t.set;
          const next = lockoutState(context, taken, now()).next;
          const data = (t.right && next && RIGHT[next]) || t.data;
          const e: LockoutEntry = {
            ...data,
            atMs: now().wallMs,
            by: t.by,
            boot: { id: 'boot', upS: minute * 60 },
          };
          if (entryFault(context, taken, e, '2026-11-25') === '') taken.push(e);
        }
        const state = lockoutState(context, taken, now());
        if (!state.holds) return;
        opened++;
        const ids = lockoutSteps(context)
          .map((s) => s.id)
          .filter((id) => id !== 'wait');
        for (const id of ids) expect(taken.some((e) => e.step === id)).toBe(true);
        const out = [...taken].reverse().find((e) => e.step === 'disconnect')!;
        const proof = [...taken].reverse().find((e) => e.step === 'live-dead-live')!;
        expect(proof.step === 'live-dead-live' && proof.plusMinusV <= 5 && proof.plusChassisV <= 5).toBe(
          true,
        );
        // By the machine's own count, whatever the wall clock was set to.
        expect(proof.boot!.upS - out.boot!.upS).toBeGreaterThanOrEqual(capacitorWait(context).waitS);
        const gloves = [...taken].reverse().find((e) => e.step === 'gloves')!;
        expect(gloves.step === 'gloves' && gloves.airTest && gloves.testedOn === '2026-10-01').toBe(true);
        expect(minute * 60 - proof.boot!.upS).toBeLessThanOrEqual(10 * 3600);
        if (twoPersons)
          expect(
            new Set(
              taken.filter((e) => e.step === 'second-person' || e.step === 'live-dead-live').map((e) => e.by),
            ).size,
          ).toBe(2);
      },
    ),
    { numRuns: 400 },
  );
  // The test says something only if some of the tries did open it.
  expect(opened).toBeGreaterThan(20);
});
