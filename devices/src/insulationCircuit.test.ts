import { judgeSeries } from '@cellmend/core/insulation';
import { describe, expect, it } from 'vitest';
import { ngspice } from '../../e2e/src/ngspice';
import { ownVoltage, shownBy, type HiddenCircuit } from './insulationCircuit';
import { openScpiTester, SimulatedTester } from './scpi';

const STRING: HiddenCircuit = { modules: 12, goodOhm: 12e9, clip: [0] };
/** Low enough that what ngspice adds at every node for itself (1e-12 S) is nothing beside it. */
const DAMP: Partial<HiddenCircuit> = { goodOhm: 1.2e8 };
const leaky = (more: Partial<HiddenCircuit> = {}): HiddenCircuit => ({
  ...STRING,
  leaks: [{ at: 4, ohm: 8000 }],
  ...more,
});
/** The verdict of a test of a minute at 500 V. */
const verdict = (c: HiddenCircuit, mounted = true): string =>
  judgeSeries({
    setV: 500,
    points: [15, 30, 60].map((timeS) => ({ timeS, ...shownBy(c, 500, timeS) })),
    temperatureC: 22,
    modules: 12,
    moduleLeastOhm: 20e6,
    workingV: 350,
    mostV: 1000,
    mounted,
  }).verdict;

/** What a 500 V source sees, Ω, by ngspice: links as joints, modules and leaks to chassis. */
function ngspiceOhm({ modules, goodOhm, leaks = [], open = [], clip }: HiddenCircuit): number {
  const lines = ['V1 in 0 500', `Rlead in n${clip[0]} 0.001`];
  for (let i = 0; i < modules; i++) {
    lines.push(`Rgood${i} n${i} 0 ${goodOhm}`);
    if (i + 1 < modules) lines.push(`Rlink${i} n${i} n${i + 1} ${open.includes(i) ? 1e15 : 1e-4}`);
  }
  leaks.forEach((l, k) => lines.push(`Rleak${k} n${l.at} 0 ${l.ohm}`));
  return 500 / Math.abs(ngspice(lines.join('\n'), 'op\nprint i(v1)').get('i(v1)')!);
}

describe('the circuit that a simulated insulation tester hides', () => {
  it('shows what ngspice computes of the same network, as far as the first open link', () => {
    const cases: HiddenCircuit[] = [
      STRING,
      leaky(),
      leaky({ open: [5] }),
      leaky({ open: [3] }),
      leaky({
        leaks: [
          { at: 2, ohm: 3e5 },
          { at: 9, ohm: 7e4 },
        ],
        open: [6],
        clip: [11],
      }),
    ];
    for (const one of cases) {
      const c = { ...one, ...DAMP };
      // Long after absorption has ended; air beside it is not in ngspice's circuit.
      const { ohm } = shownBy(c, 500, 1e4);
      const without = 1 / (1 / ohm - 1 / 2e11);
      expect(without / ngspiceOhm(c)).toBeCloseTo(1, 3);
    }
  });

  it('deceives as practice says: open link, dry electrolyte, loose module, floating stud', () => {
    expect(verdict(leaky())).toBe('leak');
    // From the far side of a link that is out.
    expect(verdict(leaky({ open: [3] }))).toBe('pass');
    const dried = [{ at: 4, ohm: 8000, fromV: 700 }];
    expect(verdict(leaky({ leaks: dried }))).toBe('pass');
    expect(verdict(leaky({ leaks: dried, wetted: true }))).toBe('leak');
    const pressed = [{ at: 4, ohm: 8000, pressedOnly: true }];
    expect(verdict(leaky({ leaks: pressed, loose: [4] }), false)).toBe('pass');
    expect(verdict(leaky({ leaks: pressed }))).toBe('leak');
    expect(verdict(leaky({ floating: true }))).toBe('pass');
    // Condensation leaks at first and is gone an hour later.
    const film = { ohm: 1e6, driesInS: 600 };
    expect(verdict({ ...STRING, condensation: film })).toBe('leak');
    expect(shownBy({ ...STRING, condensation: film }, 500, 3600).ohm).toBeGreaterThan(
      100 * shownBy({ ...STRING, condensation: film }, 500, 60).ohm,
    );
  });

  it('locks the tester out where the string holds a voltage to chassis: only a leak does', async () => {
    const live = leaky({ moduleV: 29 });
    expect(ownVoltage(live)).toBeCloseTo(4.5 * 29, 6);
    expect(ownVoltage({ ...STRING, moduleV: 29 })).toBe(0);
    const { tester, port } = await SimulatedTester.start(live);
    try {
      const device = await openScpiTester('127.0.0.1', port);
      await expect(device.outputOn(500)).rejects.toThrow(/met 130.5 V .* gave none/);
      expect(tester.outputIsOn).toBe(false);
      device.close();
    } finally {
      tester.stop();
    }
  });
});
