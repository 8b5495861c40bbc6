import { scaleLinear } from 'd3-scale';
import { describe, expect, it } from 'vitest';
import * as demo from '../../../cli/src/demoPacks';
import { Random } from '../simpack';
import {
  CHEMISTRIES,
  limitValue,
  checkProfile,
  defaultOcvTable,
  modulesOfChannel,
  normalisePack,
  ocvCurve,
  type PackProfile,
} from '.';

const profiles: [string, PackProfile][] = [
  ['van', demo.marramVan()],
  ['mild hybrid', demo.mildHybrid()],
  ['ferry shuttle', demo.ferryShuttle()],
  ['pilot car', demo.pilotCar()],
  ['yard tug', demo.yardTug()],
  ['bus', demo.islandBus()],
];

describe.each(profiles)('the map of the %s', (_name, profile) => {
  const pack = normalisePack(profile);

  it('has every group in one channel and one module, both ways', () => {
    expect(pack.groups).toHaveLength(profile.channels.reduce((s, c) => s + c.cells, 0));
    const fromChannels = pack.channels.flatMap((c) => c.groupIndices);
    const fromModules = pack.modules.flatMap((m) => m.groupIndices);
    const all = pack.groups.map((_, i) => i);
    expect(fromChannels).toEqual(all);
    expect([...fromModules].sort((a, b) => a - b)).toEqual(all);
    for (const g of pack.groups) {
      expect(pack.channels[g.channelIndex]!.groupIndices).toContain(g.index);
      expect(pack.modules[g.moduleIndex]!.groupIndices).toContain(g.index);
    }
  });

  it('goes from channel to module and back', () => {
    for (const c of pack.channels) {
      for (const m of c.moduleIndices) expect(pack.modules[m]!.channelIndices).toContain(c.index);
      expect(modulesOfChannel(pack, c.index).split(' + ')).toHaveLength(c.moduleIndices.length);
    }
    for (const m of pack.modules)
      for (const c of m.channelIndices) expect(pack.channels[c]!.moduleIndices).toContain(m.index);
  });

  it('follows the string from the negative end without a jump back', () => {
    expect([...pack.stringOrder].sort((a, b) => a - b)).toEqual(pack.modules.map((m) => m.index));
    const firsts = pack.stringOrder.map((m) => pack.modules[m]!.groupIndices[0]!);
    expect(firsts).toEqual([...firsts].sort((a, b) => a - b));
  });

  it('lays no module on another, within tiers that have names', () => {
    const places = pack.modules.map((m) => `${m.place.tier}/${m.place.row}/${m.place.column}`);
    expect(new Set(places).size).toBe(places.length);
    for (const m of pack.modules) expect(pack.tiers[m.place.tier]).toBeTruthy();
  });

  it('passes the check, and the same profile gives the same map', () => {
    expect(checkProfile(profile).faults.filter((f) => f.level === 'error')).toEqual([]);
    const again = normalisePack(JSON.parse(JSON.stringify(profile)) as PackProfile);
    expect(again.modules).toEqual(pack.modules);
    expect(again.stringOrder).toEqual(pack.stringOrder);
  });

  it('names what breaks when a channel or a module is left out', () => {
    const short = { ...profile, channels: profile.channels.slice(0, -1) };
    const last = profile.channels[profile.channels.length - 1]!.id;
    expect(() => normalisePack(short)).toThrow(new RegExp(`names (channel|group) ${last}.*does not have`));
    const fewer = { ...profile, modules: profile.modules.slice(1) };
    expect(() => normalisePack(fewer)).toThrow(/sits in no module/);
    const doubled = { ...profile, modules: [...profile.modules, profile.modules[0]!] };
    expect(() => normalisePack(doubled)).toThrow(/listed twice/);
    const hollow = { ...profile, modules: [...profile.modules, { id: 'Z99' }] };
    expect(() => normalisePack(hollow)).toThrow(/Z99 has no channels/);
  });
});

describe('the rest curve', () => {
  const chemistries = CHEMISTRIES;
  const random = new Random(4);

  it.each(chemistries)('of %s stays within the limits of the chemistry and never falls', (chemistry) => {
    const curve = ocvCurve(defaultOcvTable(chemistry));
    expect(curve.maxV).toBeLessThanOrEqual(limitValue({ chemistry }, 'cellFullV') + 1e-9);
    let before = -Infinity;
    for (let s = 0; s <= 1; s += 0.001) {
      const v = curve.voltageAt(s);
      expect(v).toBeGreaterThanOrEqual(before);
      before = v;
    }
  });

  it.each(chemistries)('of %s is read as a general interpolator reads it', (chemistry) => {
    const table = defaultOcvTable(chemistry);
    const curve = ocvCurve(table);
    const peer = scaleLinear(
      table.map((p) => p[0]),
      table.map((p) => p[1]),
    ).clamp(true);
    for (let k = 0; k < 500; k++) {
      const s = random.uniform(-0.1, 1.1);
      expect(curve.voltageAt(s)).toBeCloseTo(peer(s), 9);
    }
  });

  it.each(chemistries)(
    'of %s gives an interval that holds the truth, and grows with the doubt',
    (chemistry) => {
      const curve = ocvCurve(defaultOcvTable(chemistry));
      for (let k = 0; k < 200; k++) {
        const s = random.uniform(0, 1);
        const error = random.uniform(-0.004, 0.004);
        const [low, high] = curve.socInterval(curve.voltageAt(s) + error, 0.005);
        expect(low).toBeLessThanOrEqual(s + 1e-9);
        expect(high).toBeGreaterThanOrEqual(s - 1e-9);
        const [wideLow, wideHigh] = curve.socInterval(curve.voltageAt(s) + error, 0.01);
        expect(wideLow).toBeLessThanOrEqual(low + 1e-12);
        expect(wideHigh).toBeGreaterThanOrEqual(high - 1e-12);
      }
    },
  );

  it('holds its ends outside the table, and keeps its slope there', () => {
    const curve = ocvCurve([
      [0, 3],
      [0.5, 3.6],
      [1, 4.1],
    ]);
    expect([curve.voltageAt(-1), curve.voltageAt(2)]).toEqual([3, 4.1]);
    expect([curve.socAt(2.2), curve.socAt(4.4)]).toEqual([0, 1]);
    expect(curve.slopeAt(0.25)).toBeCloseTo(1.2, 9);
    expect(curve.slopeAt(0.75)).toBeCloseTo(1, 9);
    expect(curve.slopeAt(1)).toBeCloseTo(1, 9);
  });
});
