import { spreadReport, type Verdict } from '@cellmend/core/diagnosis';
import { normalisePack, ocvCurve, type Pack } from '@cellmend/core/pack';
import { healthyPack, Random, simulateRecord, type SimPack } from '@cellmend/core/simpack';
import { islandBus, marramVan, mildHybrid, pilotCar, yardTug } from '../../cli/src/demoPacks';
import type { Line } from './table';

/** What makes a channel stand apart at one rest. */
const CAUSES = ['imbalance', 'low-capacity', 'self-discharge', 'sense-fault'] as const;
type Cause = (typeof CAUSES)[number];
const PACKS = [marramVan, pilotCar, yardTug, islandBus, mildHybrid].map((of) => normalisePack(of()));
/** The gap of the odd channel, V a cell: from less than boards scatter by to a cell that is flat. */
const GAP_V = [0.005, 3] as const;

/** Charge by which a cell lies below one at this charge when its volts do by so much; null where it is empty before. */
function chargeBelow(pack: Pack, soc: number, gapV: number): number | null {
  const curve = ocvCurve(pack.profile.ocv);
  for (let below = 0; below <= soc; below += 0.001)
    if (curve.voltageAt(soc) - curve.voltageAt(soc - below) >= gapV) return below;
  return null;
}

/** Puts one channel apart by a gap, as its cause would: by charge where the curve has that much, else as a cell that has run empty. */
function putApart(sim: SimPack, channel: number, cause: Cause, gapV: number, random: Random): void {
  const { pack, startSoc } = sim;
  const { cells } = pack.channels[channel]!;
  const odd = sim.channels[channel]!;
  if (cause === 'sense-fault') {
    odd.offsetV = random.pick([-1, 1]) * gapV * cells;
    return;
  }
  const below = chargeBelow(pack, startSoc, gapV);
  if (below === null)
    odd.fixedV = Math.max(0, (ocvCurve(pack.profile.ocv).voltageAt(startSoc) - gapV) * cells);
  else odd.deltaSoc -= below;
}

export interface SnapshotScore {
  packs: number;
  told: number;
  named: number;
  sure: number;
  sureWrong: number;
  falseFlags: number;
  healthyChannels: number;
}

/**
 * A world of snapshots: one minute at rest, one channel apart by any gap and for any cause. One reading settles only what its volts alone
 * are: a group beyond its limits is told as that, and is right.
 */
export function snapshotWorld(count: number, first: number): SnapshotScore {
  const s: SnapshotScore = {
    packs: count,
    told: 0,
    named: 0,
    sure: 0,
    sureWrong: 0,
    falseFlags: 0,
    healthyChannels: 0,
  };
  for (let seed = first; seed < first + count; seed++) {
    const random = new Random(seed);
    const pack = random.pick(PACKS);
    const sim = healthyPack(pack, random);
    sim.startSoc = random.uniform(0.1, 0.97);
    const channel = Math.floor(random.uniform(0, pack.channels.length));
    const cause = random.pick([...CAUSES]);
    const gapV = GAP_V[0] * (GAP_V[1] / GAP_V[0]) ** random.uniform(0, 1);
    putApart(sim, channel, cause, gapV, random);
    const record = simulateRecord(sim, [{ durationS: 60, currentA: 0, sampleS: 20 }], random);
    const { id } = pack.channels[channel]!;
    const { findings } = spreadReport(record, pack);
    s.healthyChannels += pack.channels.length - 1;
    s.falseFlags += findings.filter((f) => f.channel !== id).length;
    const found = findings.find((f) => f.channel === id);
    if (!found) continue;
    s.told++;
    const byVoltsAlone = found.verdict === 'dead' || found.absolute !== undefined;
    const named: Verdict[] = [found.verdict, ...found.alternatives.map((a) => a.verdict)];
    if (byVoltsAlone || named.includes(cause)) s.named++;
    if (found.verdict !== 'undetermined' && found.confidence >= 0.9) {
      s.sure++;
      if (!byVoltsAlone && found.verdict !== cause) s.sureWrong++;
      // A wrong reading of a live cell looks dead: only the meter tells. It may not be called so for certain.
      if (byVoltsAlone && cause === 'sense-fault') s.sureWrong++;
    }
  }
  return s;
}

/** The figures of the world of snapshots as lines of a table. */
export function snapshotLines(s: SnapshotScore): Line[] {
  const share = (a: number, b: number): number => a / Math.max(1, b);
  const per1000 = (1000 * s.falseFlags) / Math.max(1, s.healthyChannels);
  return [
    {
      what: `${s.packs} snapshots: the true cause among the named`,
      ours: `${s.named}`,
      against: `${s.told}`,
      ratio: `${(100 * share(s.named, s.told)).toFixed(1)} %`,
      aim: '≥ 99 %',
      met: share(s.named, s.told) >= 0.99,
    },
    {
      what: `${s.packs} snapshots: wrong of what is said at 0.9 or surer`,
      ours: `${s.sureWrong}`,
      against: `${s.sure}`,
      ratio: `${(100 * share(s.sureWrong, s.sure)).toFixed(1)} %`,
      aim: '≤ 10 %',
      met: share(s.sureWrong, s.sure) <= 0.1,
    },
    {
      what: `${s.packs} snapshots: false flags per 1000 healthy channels`,
      ours: `${s.falseFlags}`,
      against: `${s.healthyChannels}`,
      ratio: per1000.toFixed(2),
      aim: '≤ 0.5',
      met: per1000 <= 0.5,
    },
  ];
}
