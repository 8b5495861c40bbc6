import { addDays, addMonths, formatISO } from 'date-fns';
import { describe, expect, it } from 'vitest';
import { ngspice } from '../../../e2e/src/ngspice';
import { islandBus, marramVan, mildHybrid, pilotCar } from '../../../cli/src/demoPacks';
import { fullV, normalisePack, type Pack } from '../pack';
import { Random } from '../simpack';
import { bleedDown, preCharge } from './bleed';
import { exposure, planCuts } from './exposure';
import { fuseEvidence } from './fuse';
import {
  capacitorWait,
  entryFault,
  hazardsOf,
  lockoutState,
  lockoutSteps,
  mayHoldV,
  proofFault,
  chassisVoltage,
  PROOF_WORDS,
  type LockoutContext,
  type LockoutEntry,
  type StepData,
} from '.';
import { hazardsFrom, watchPlan, type Hazard } from './hazards';
import type { Moment } from './moment';
import { judgeWatch, watchMayEnd } from './stop';
import { gloveClassFor, gloveFault, monthsLater } from './voltageClass';

describe('gloves', () => {
  // IEC 60903 and ASTM D120: class 00 to 750 V DC, 0 to 1500 V DC, 1 to 11 250 V DC; nothing asked below 60 V DC (R100).
  it.each([
    [48, null],
    [60, null],
    [61, '00'],
    [400, '00'],
    [750, '00'],
    [751, '0'],
    [1500, '0'],
    [1501, '1'],
  ])('for %i V DC are of class %s', (v, wanted) => expect(gloveClassFor(v)).toBe(wanted));

  it('are tested within six months (OSHA 1910.137), of the class needed, and on record', () => {
    const today = '2026-11-25';
    expect(gloveFault({ gloveClass: '0', testedOn: '2026-06-01' }, 400, today)).toBe('');
    expect(gloveFault({ gloveClass: '0', testedOn: '2026-05-20' }, 400, today)).toMatch(/six|6 months/);
    expect(gloveFault({ gloveClass: '00', testedOn: '2026-11-01' }, 800, today)).toMatch(/class 0 is needed/);
    expect(gloveFault({ gloveClass: null, testedOn: null }, 400, today)).toMatch(/No gloves/);
    expect(gloveFault({ gloveClass: null, testedOn: null }, 48, today)).toBe('');
  });
});

describe('capacitors', () => {
  it('bleed down as a circuit simulator shows, to 60 V in R·C·ln(V/60)', () => {
    const b = bleedDown(348, 166e3, 1.1e-3);
    expect(b.waitS).toBeCloseTo(166e3 * 1.1e-3 * Math.log(348 / 60), 9);
    expect(b.energyJ).toBeCloseTo(66.6, 1);
    const found = ngspice(
      'C1 a 0 1.1m ic=348\nR1 a 0 166k',
      'tran 1 600 uic\nmeas tran at100 find v(a) at=100\nmeas tran below when v(a)=60',
    );
    expect(found.get('at100')! / b.voltageAt(100)).toBeCloseTo(1, 3);
    expect(found.get('below')! / b.waitS).toBeCloseTo(1, 3);
    expect(bleedDown(50, 1e5, 1e-3).waitS).toBe(0);
    expect(() => bleedDown(350, 0, 1e-3)).toThrow(/bleeder/);
  });

  it('pre-charge as a circuit simulator shows, 95 % after three time constants, and never with a heavy load', () => {
    const p = preCharge(360, 40, 1e-3);
    expect(p.timeToS(0.95)! / p.tauS).toBeCloseTo(3, 1);
    expect(p.peakA).toBe(9);
    expect(p.resistorJ).toBeCloseTo(0.5 * 1e-3 * 360 ** 2, 9);
    const loaded = preCharge(360, 40, 1e-3, 160);
    const found = ngspice(
      'V1 s 0 360\nR1 s a 40\nC1 a 0 1m ic=0\nR2 a 0 160',
      'tran 0.1m 400m uic\nmeas tran half find v(a) at=32m\nmeas tran end find v(a) at=400m',
    );
    expect(found.get('half')! / loaded.voltageAt(0.032)).toBeCloseTo(1, 3);
    expect(found.get('end')! / loaded.finalV).toBeCloseTo(1, 3);
    expect(loaded.finalV).toBeCloseTo(288, 9);
    expect(loaded.timeToS(0.95)).toBeNull();
    expect(loaded.restingW).toBeCloseTo(72 ** 2 / 40, 9);
  });
});

const moduleV = (pack: Pack, cellV = 3.65): number[] =>
  pack.modules.map((m) => m.groupIndices.length * cellV);

describe('voltage exposure', () => {
  it('of the pilot car: four links bring every part below 60 V, the service disconnect first', () => {
    const pack = normalisePack(pilotCar());
    const volts = pack.modules.map(() => 29);
    const plan = planCuts(pack, volts);
    expect(plan.before.worstV).toBe(348);
    expect(plan.steps[0]!.kind).toBe('service-disconnect');
    expect(plan.steps[0]!.worstV).toBe(174);
    expect(plan.after.worstV).toBeLessThanOrEqual(60);
    expect(plan.steps).toHaveLength(5);
    const worst = plan.steps.map((s) => s.worstV);
    expect(worst.every((v, i) => i === 0 || v <= worst[i - 1]!)).toBe(true);
  });

  it('takes the fewest links, as trying every set of links shows', () => {
    const random = new Random(51);
    const base = normalisePack(pilotCar());
    for (let k = 0; k < 6; k++) {
      const volts = base.modules.map(() => random.uniform(12, 45));
      const plan = planCuts(base, volts);
      const ids = (base.profile.links ?? []).map((l) => l.id);
      let fewest = Infinity;
      for (let mask = 0; mask < 2 ** ids.length; mask++) {
        const set = new Set(ids.filter((_, i) => mask & (1 << i)));
        // The service disconnect is out in any case.
        if (!set.has(ids[5]!) || set.size >= fewest) continue;
        if (exposure(base, volts, set).worstV <= 60) fewest = set.size;
      }
      expect(plan.after.worstV).toBeLessThanOrEqual(60);
      // The disconnect may come on top where it is not one of the fewest cuts.
      expect(plan.steps.length).toBeLessThanOrEqual(fewest + 1);
      expect(plan.steps.length).toBeGreaterThanOrEqual(fewest);
    }
  });

  it('says which modules stay too high whatever is pulled, and needs nothing below 60 V', () => {
    const van = normalisePack(marramVan());
    const high = planCuts(
      van,
      van.modules.map((_, i) => (i === 3 ? 90 : 14)),
    );
    expect(high.tooHigh).toEqual([van.modules[3]!.id]);
    const mild = normalisePack(mildHybrid());
    expect(planCuts(mild, moduleV(mild)).steps.map((s) => s.kind)).toEqual(['service-disconnect']);
  });

  it('brings along the links that have to be out before another can be reached', () => {
    const profile = pilotCar();
    const all = normalisePack({
      ...profile,
      links: profile.links!.map((l) => (l.id === 'L2' ? { ...l, after: ['L11'] } : l)),
    });
    const plan = planCuts(
      all,
      all.modules.map(() => 29),
    );
    const order = plan.steps.map((s) => s.linkId);
    if (order.includes('L2')) expect(order.indexOf('L11')).toBeLessThan(order.indexOf('L2'));
    expect(plan.after.worstV).toBeLessThanOrEqual(60);
  });
});

const pilot = normalisePack({ ...pilotCar(), busCapacitanceF: 1.1e-3, busBleederOhm: 166e3 });
const context: LockoutContext = {
  pack: pilot,
  hazards: [],
  packV: 348,
  twoPersons: true,
  gateHours: 10,
  leastWaitMin: 5,
  deadV: 5,
};
const at = (ms: number): Moment => ({ wallMs: ms, bootId: null, upS: null });
const START = Date.parse('2026-11-25T10:00:00Z');
const entry = (minute: number, data: StepData, by = 'tomas'): LockoutEntry => ({
  ...data,
  atMs: START + minute * 60_000,
  by,
});
const PROOF = {
  step: 'live-dead-live',
  meterBeforeV: 12.6,
  plusMinusV: 1.2,
  plusChassisV: 0.4,
  minusChassisV: 0.2,
  meterAfterV: 12.5,
} as const;
const upTo = (n: number): LockoutEntry[] =>
  [
    entry(0, { step: 'hazards' }),
    entry(1, { step: 'gloves', gloveClass: '0', testedOn: '2026-09-01', airTest: true }),
    entry(2, { step: 'barrier', secondPerson: 'Ina' }),
    entry(3, { step: 'low-voltage' }),
    entry(4, { step: 'disconnect', keptBy: 'Tomas' }),
    entry(18, PROOF),
    entry(19, { step: 'second-person' }, 'ina'),
  ].slice(0, n);
const fault = (n: number, e: LockoutEntry): string => entryFault(context, upTo(n), e, '2026-11-25');

describe('the gate', () => {
  it('opens after every step in order, and not before', () => {
    for (let n = 0; n < 7; n++)
      expect(lockoutState(context, upTo(n), at(START + 20 * 60_000)).holds).toBe(false);
    const state = lockoutState(context, upTo(7), at(START + 20 * 60_000));
    expect(state.holds).toBe(true);
    expect(state.steps.every((s) => s.state === 'done')).toBe(true);
  });

  it('closes by itself when the proof is old', () => {
    expect(lockoutState(context, upTo(7), at(START + 11 * 3600_000))).toMatchObject({ holds: false });
    expect(lockoutState(context, upTo(7), at(START + 11 * 3600_000)).why).toMatch(/prove it again/);
  });

  it('waits for the capacitors by the clock, and says what they may still hold', () => {
    const wait = capacitorWait(context);
    expect(wait.waitS).toBeCloseTo(bleedDown(348, 166e3, 1.1e-3, 5).waitS, 6);
    expect(wait.waitS).toBeGreaterThan(1.5 * bleedDown(348, 166e3, 1.1e-3).waitS);
    expect(fault(5, entry(6, PROOF))).toMatch(/may still hold \d+ V/);
    expect(mayHoldV(context, 1.5 * bleedDown(348, 166e3, 1.1e-3).waitS)).toBeCloseTo(60, 6);
    expect(fault(5, entry(18, PROOF))).toBe('');
    const unknown = { ...context, pack: normalisePack({ ...pilotCar(), busCapacitanceF: undefined }) };
    expect(capacitorWait(unknown)).toMatchObject({ waitS: 300, computed: false });
  });

  it('takes steps in order only', () => {
    expect(fault(1, entry(2, { step: 'disconnect', keptBy: 'Tomas' }))).toMatch(/First: Gloves/);
    expect(fault(0, entry(0, PROOF))).toMatch(/First: Hazards/);
  });

  it('does not open on a meter that is not proved, or on a live point', () => {
    expect(proofFault({ ...PROOF }, context)).toBe('');
    expect(proofFault({ ...PROOF, meterBeforeV: 0.1 }, context)).toMatch(/not proved/);
    expect(proofFault({ ...PROOF, meterAfterV: 0.2 }, context)).toMatch(/failed in between/);
    expect(proofFault({ ...PROOF, minusChassisV: -142 }, context)).toMatch(
      /142 V at pack − to chassis: not dead/,
    );
    const live = [...upTo(5), entry(18, { ...PROOF, plusMinusV: 61 })];
    expect(lockoutState(context, live, at(START + 20 * 60_000)).holds).toBe(false);
  });

  it('wants tested gloves, an air test, and a second signature by somebody else', () => {
    expect(
      fault(1, entry(1, { step: 'gloves', gloveClass: '0', testedOn: '2026-01-01', airTest: true })),
    ).toMatch(/months old/);
    expect(
      fault(1, entry(1, { step: 'gloves', gloveClass: '0', testedOn: '2026-09-01', airTest: false })),
    ).toMatch(/air test/);
    expect(fault(6, entry(19, { step: 'second-person' }, 'tomas'))).toMatch(/somebody else/);
    expect(fault(6, entry(19, { step: 'second-person' }, 'ina'))).toBe('');
  });

  it('looks from a distance first, locks out, and only then gathers evidence that needs touching; hazards combine', () => {
    const ids = (hazards: Hazard[]): string[] => lockoutSteps({ ...context, hazards }).map((s) => s.id);
    const all = ids(['crash', 'flood', 'under-voltage', 'hot']);
    expect(all.slice(0, 2)).toEqual(['look', 'quarantine']);
    for (const touching of ['pyro-evidence', 'insulation-evidence', 'group-voltages'])
      expect(all.indexOf(touching)).toBeGreaterThan(all.indexOf('live-dead-live'));
    expect(ids([])).not.toContain('look');
    expect(ids(['flood'])).toContain('insulation-evidence');
    expect(ids(['under-voltage'])).not.toContain('pyro-evidence');
    const lines = hazardsOf({ ...context, hazards: ['crash', 'flood'] }).join(' ');
    expect(lines).toMatch(/hydrogen.*10 to 15 m.*Outdoors first.*every 60 min for at least 72 h/);
    expect(JSON.stringify(lockoutSteps({ ...context, hazards: ['crash'] }))).not.toMatch(
      /\bclear\b|\breset\b|\berase\b/i,
    );
  });

  it('what does not look calm is not gone near', () => {
    const hot = { ...context, hazards: ['hot'] as Hazard[] };
    const smoke = entry(0, { step: 'look', text: 'smoke at the vent', calm: false });
    expect(lockoutState(hot, [smoke], at(START + 60_000)).next).toBe('look');
    const calm = entry(30, { step: 'look', text: 'no smoke, cool', calm: true });
    expect(lockoutState(hot, [smoke, calm], at(START + 31 * 60_000)).next).toBe('quarantine');
  });

  it('intake selects hazards by its history; asleep alone is not under-voltage', () => {
    expect(hazardsFrom(['crash', 'flood or jet-wash', 'stood for months'])).toEqual([
      'crash',
      'flood',
      'under-voltage',
    ]);
    expect(hazardsFrom(['will not wake'])).toEqual([]);
    expect(hazardsFrom([], true)).toEqual(['under-voltage']);
  });
});

// Dead and below 60 V are two things. 60 V: UN ECE R100, ISO 6469-3. 5 V behind open contactors is from memory.
describe('what a proof proves', () => {
  const proof = (v: number, chassis = 0): typeof PROOF =>
    ({ ...PROOF, plusMinusV: v, plusChassisV: chassis, minusChassisV: chassis }) as never;

  it('behind the contactors every point is at or under the threshold, not only below 60 V', () => {
    expect(proofFault(proof(5), context)).toBe('');
    for (const v of [5.1, 51, -51, 59.9])
      expect(proofFault(proof(v), context)).toMatch(/below 60 V, but not dead/);
    expect(proofFault(proof(60), context)).toMatch(/not dead. Hands off/);
    expect(proofFault(proof(1, 12), context)).toMatch(/12 V at pack \+ to chassis/);
    expect(proofFault(proof(12), { ...context, deadV: 15 })).toBe('');
  });

  it('a 48 V pack is never dead: its gate says below 60 V, still live', () => {
    const mild = { ...context, packV: 58.8, twoPersons: false };
    expect(proofFault(proof(51), mild)).toBe('');
    const entries = [...upTo(5), entry(18, { ...PROOF, plusMinusV: 51 })];
    const state = lockoutState(mild, entries, at(START + 20 * 60_000));
    expect(state).toMatchObject({ holds: true, proof: 'below-60' });
    expect(PROOF_WORDS[state.proof!].long).toMatch(/still live: short-circuit and burn hazard/);
    expect(PROOF_WORDS['below-60'].short).not.toMatch(/dead/);
    // Even at 0 V at its terminals the modules inside are live.
    const zero = lockoutState(mild, [...upTo(5), entry(18, PROOF)], at(START + 20 * 60_000));
    expect(zero.proof).toBe('below-60');
    expect(proofFault(proof(61), mild)).toMatch(/not dead/);
  });

  it('a voltage to chassis above the threshold is a finding for Insulation', () => {
    expect(chassisVoltage(proof(1, 0.4), 5)).toBe('');
    expect(chassisVoltage(proof(51, 25), 5)).toMatch(/25 V at pack \+ to chassis.*reaches the chassis/);
  });
});

describe('the wall clock', () => {
  /** A moment some minutes after the start: by the machine's own count, and by a clock set ahead by `setS`. */
  const moment = (minute: number, setS = 0): Moment => ({
    wallMs: START + minute * 60_000 + setS * 1000,
    bootId: 'boot-a',
    upS: 5000 + minute * 60,
  });
  const made = (minute: number, data: StepData, setS = 0, by = 'tomas'): LockoutEntry => ({
    ...data,
    atMs: moment(minute, setS).wallMs,
    by,
    boot: { id: 'boot-a', upS: moment(minute).upS! },
  });
  const one = { ...context, twoPersons: false };
  const out = [
    made(0, { step: 'hazards' }),
    made(1, { step: 'gloves', gloveClass: '0', testedOn: '2026-09-01', airTest: true }),
    made(2, { step: 'barrier', secondPerson: 'Ina' }),
    made(3, { step: 'low-voltage' }),
    made(4, { step: 'disconnect', keptBy: 'Tomas' }),
  ];

  it('set forward does not pass the wait', () => {
    expect(lockoutState(one, out, moment(6, 3600)).next).toBe('wait');
    expect(entryFault(one, out, made(6, PROOF, 3600), '2026-11-25')).toMatch(/may still hold/);
    // Nor does a proof that got in count.
    expect(lockoutState(one, [...out, made(6, PROOF, 3600)], moment(7, 3600)).holds).toBe(false);
  });

  it('set back does not open a gate that is closed, nor keep one open: a jump closes it with the reason', () => {
    const proven = [...out, made(18, PROOF)];
    expect(lockoutState(one, proven, moment(20)).holds).toBe(true);
    const back = lockoutState(one, proven, moment(20, -5 * 3600));
    expect(back.holds).toBe(false);
    expect(back.why).toMatch(/clock of this machine was set by 300 min/);
    const forward = lockoutState(one, proven, moment(20, 3600));
    expect(forward.holds).toBe(false);
    // Eleven hours by the machine's count, whatever the clock was set to.
    expect(lockoutState(one, proven, moment(18 + 660, -11 * 3600)).holds).toBe(false);
  });

  it('another machine or boot has only the clock: running backwards closes', () => {
    const proven = [...out, made(18, PROOF)];
    const elsewhere = (minute: number): Moment => ({ ...moment(minute), bootId: 'boot-b', upS: 3 });
    expect(lockoutState(one, proven, elsewhere(20)).holds).toBe(true);
    expect(lockoutState(one, proven, elsewhere(10)).holds).toBe(false);
  });
});

// OSHA 1910.137: at most six months in service; IEC 60903 and ASTM D120 for the classes.
describe('the date of a glove test', () => {
  const gloves = (testedOn: string) => ({ gloveClass: '0' as const, testedOn });
  it('counts six months by the calendar, and refuses the future', () => {
    expect(monthsLater('2026-08-31', 6)).toBe('2027-02-28');
    expect(monthsLater('2027-08-31', 6)).toBe('2028-02-29');
    expect(gloveFault(gloves('2026-08-31'), 400, '2027-02-28')).toBe('');
    expect(gloveFault(gloves('2026-08-31'), 400, '2027-03-01')).toMatch(/months old/);
    expect(gloveFault(gloves('2026-05-25'), 400, '2026-11-25')).toBe('');
    expect(gloveFault(gloves('2026-05-24'), 400, '2026-11-25')).toMatch(/months old/);
    expect(gloveFault(gloves('2026-11-26'), 400, '2026-11-25')).toMatch(/future/);
  });

  it('agrees with date-fns on every day of eight years', () => {
    for (let d = new Date(Date.UTC(2024, 0, 1)); d < new Date(Date.UTC(2032, 0, 1)); d = addDays(d, 1)) {
      const day = formatISO(d, { representation: 'date' });
      expect(monthsLater(day, 6)).toBe(formatISO(addMonths(d, 6), { representation: 'date' }));
    }
  });
});

it('a fuse is evidence, and is never bridged', () => {
  expect(fuseEvidence('pyro', Infinity)).toMatchObject({ state: 'open' });
  expect(fuseEvidence('pyro', Infinity).next).toMatch(/never bridged/);
  expect(fuseEvidence('main', 0.002).state).toBe('closed');
  expect(fuseEvidence('main', 30).state).toBe('doubtful');
});

describe('a thermal watch', () => {
  it('ends by its rule only: cool, falling, logged lately, and as long as its plan asks', () => {
    const cooling = Array.from({ length: 6 }, (_, i) => ({ timeS: i * 900, temperatureC: 40 - i }));
    expect(watchMayEnd(cooling, 0, 4600)).toEqual({ ok: true, why: '' });
    expect(watchMayEnd([], 0, 4600).why).toMatch(/No temperature/);
    expect(watchMayEnd(cooling, 0, 4600 + 3600).why).toMatch(/too old/);
    expect(watchMayEnd(cooling.slice(0, 3), 0, 1900).why).toMatch(/it is falling/);
    // Temperatures from before the stop do not end its watch.
    expect(watchMayEnd(cooling, 4000, 4600).ok).toBe(false);
    const flood = watchPlan(['flood', 'crash'])!;
    expect(flood).toMatchObject({ everyMin: 60, leastHours: 72 });
    expect(watchMayEnd(cooling, 0, 4600, flood.leastHours).why).toMatch(/at least 72 h/);
    const days = Array.from({ length: 74 }, (_, i) => ({ timeS: i * 3600, temperatureC: 14 }));
    expect(watchMayEnd(days, 0, 73 * 3600, flood.leastHours).ok).toBe(true);
    expect(watchPlan(['under-voltage'])).toBeNull();
  });

  const course = (f: (i: number) => number) =>
    Array.from({ length: 6 }, (_, i) => ({ timeS: i * 900, temperatureC: f(i) }));
  it('tells rising from falling, and may end after an hour of falling', () => {
    expect(judgeWatch([]).state).toBe('no reading');
    expect(judgeWatch(course((i) => 30 + i)).state).toBe('rising');
    expect(judgeWatch(course((i) => 40 - i)).state).toBe('may end');
    expect(judgeWatch(course((i) => 40 - i).slice(0, 3)).state).toBe('falling');
    expect(judgeWatch(course(() => 25)).state).toBe('steady');
    // Still hot after an hour of falling: the watch goes on.
    expect(judgeWatch(course((i) => 80 - i)).state).toBe('falling');
    // One climb within the hour: falling on the whole, and not over.
    expect(judgeWatch(course((i) => (i === 4 ? 38 : 40 - i))).state).not.toBe('may end');
    // The order in which readings were typed does not matter.
    expect(judgeWatch(course((i) => 30 + i).reverse()).state).toBe('rising');
    // A climb of two degrees in the first minutes is a climb.
    expect(
      judgeWatch([
        { timeS: 0, temperatureC: 30 },
        { timeS: 60, temperatureC: 32 },
      ]).state,
    ).toBe('rising');
  });
});

it('the 800 V class bus asks for class 0 gloves and more links', () => {
  const bus = normalisePack(islandBus());
  const full = fullV(bus.profile, bus.groups.length);
  expect(gloveClassFor(full)).toBe('00');
  expect(gloveClassFor(full + 30)).toBe('0');
  const plan = planCuts(bus, moduleV(bus, 3.3));
  expect(plan.after.worstV).toBeLessThanOrEqual(60);
});
