import { deltaLimitMv, fullV, limitValue, scaled, type Measured, type Pack } from '../pack';
import { lifeByHealth, lifeBySubtraction } from '../range';
import { verdictName, type Spread, type SpreadReport } from '../diagnosis';

export type Judged = 'good' | 'fair' | 'poor' | 'unknown';

/** One line of the one-page verdict: what was looked at, what it shows, how it is judged and why. */
export interface CheckLine {
  what: string;
  shows: string;
  judged: Judged;
  why: string;
}

export interface BuyersVerdict {
  verdict: 'sound' | 'with reserve' | 'leave it' | 'cannot tell yet';
  because: string;
  lines: CheckLine[];
  /** Measurements that would complete the picture. */
  lacking: string[];
}

/** What was asked and read beside the scan. */
export interface BuyersFacts {
  odometerKm: number | null;
  ageYears: number | null;
  insulationOhm: number | null;
  /** Trouble codes with the severity the catalogue gives them (null where it knows nothing); null: not read. */
  codes: { code: string; severity: 'stop' | 'soon' | 'note' | null }[] | null;
}

/** UN ECE R100, ISO 6469-3 and FMVSS 305: least insulation of a direct-current pack. */
const OHM_PER_VOLT = 100;
/** Best compared here. Common practice, no source. */
const NEAR_FULL = 0.75;
const NEAR_EMPTY = 0.35;

const pct = (v: number): string => `${Math.round(v * 100)} %`;

/** How a delta at rest is judged, in the words of the trade. */
export function deltaWords(
  grade: Spread['grade'],
  socFraction: number,
  pack: Pack,
): Pick<CheckLine, 'judged' | 'why'> {
  const judged = {
    excellent: 'good',
    good: 'good',
    limit: 'fair',
    poor: 'poor',
    'blocks-drive': 'poor',
  } as const;
  const limit = Math.round(deltaLimitMv(pack, socFraction));
  return {
    judged: judged[grade],
    why: {
      excellent: `Excellent: at this charge ${limit} mV is the limit.`,
      good: `Good: at this charge ${limit} mV is the limit.`,
      limit: `Near the limit of ${limit} mV at this charge.`,
      poor: `Beyond the limit of ${limit} mV at this charge.`,
      'blocks-drive': `From ${limitValue(pack.profile, 'driveBlockingMv')} mV on a vehicle usually refuses to drive.`,
    }[grade],
  };
}

function deltaLine(what: string, spread: Spread | null, wanted: string, pack: Pack): CheckLine {
  if (!spread) return { what, shows: 'not scanned', judged: 'unknown', why: wanted };
  return {
    what,
    shows: `${Math.round(spread.deltaMv)} mV at ${pct(spread.medianSocFraction)} charge`,
    ...deltaWords(spread.grade, spread.medianSocFraction, pack),
  };
}

/** The vehicle's own insulation figure, by volt of the pack at its fullest. */
export function insulationLine({ insulationOhm }: BuyersFacts, pack: Pack): CheckLine {
  // Ω/V are judged at the highest working voltage, whatever the pack holds today.
  const packV = fullV(pack.profile, pack.groups.length);
  const ohmPerV = insulationOhm === null ? null : insulationOhm / packV;
  return {
    what: 'Insulation',
    shows: ohmPerV === null ? 'not read' : `${Math.round(ohmPerV)} Ω/V`,
    judged:
      ohmPerV === null
        ? 'unknown'
        : ohmPerV >= 5 * OHM_PER_VOLT
          ? 'good'
          : ohmPerV >= OHM_PER_VOLT
            ? 'fair'
            : 'poor',
    why: `The least allowed is ${OHM_PER_VOLT} Ω/V.`,
  };
}

/** A line for a figure that may not have been measured: then it says so, and what would measure it. */
function measuredLine(
  what: string,
  m: Measured,
  shows: (m: Measured & { measured: true }) => Omit<CheckLine, 'what'>,
): CheckLine {
  return m.measured
    ? { what, ...shows(m) }
    : { what, shows: 'not measured', judged: 'unknown', why: `${m.why} ${m.test}` };
}

const healthLine = (report: SpreadReport): CheckLine =>
  measuredLine('Capacity', report.health, ({ value, low, high }) => ({
    shows: `${pct(value)} of rated (${pct(low)} to ${pct(high)})`,
    judged: value >= 0.85 ? 'good' : value >= 0.72 ? 'fair' : 'poor',
    why: 'At about 70 % a traction pack is usually called worn out.',
  }));

const resistanceLine = (report: SpreadReport, pack: Pack): CheckLine =>
  measuredLine(
    'Resistance',
    scaled(report.resistanceMilliohm, 1 / pack.profile.nominalGroupResistanceMilliohm),
    ({ value }) => ({
      shows: `${value.toFixed(1)} times that of new`,
      judged: value <= 1.5 ? 'good' : value <= 2 ? 'fair' : 'poor',
      why: 'Twice that of new is worn.',
    }),
  );

function lifeLines(report: SpreadReport, pack: Pack, facts: BuyersFacts): CheckLine[] {
  const { ratedRangeKm } = pack.profile;
  const lines: CheckLine[] = [];
  if (facts.odometerKm !== null && facts.ageYears !== null && ratedRangeKm) {
    const l = lifeBySubtraction(facts.odometerKm, ratedRangeKm, facts.ageYears);
    lines.push({
      what: 'Life by distance and years',
      shows: `${pct(l.leftShare)} left by the rule, not measured`,
      judged: l.leftShare >= 0.5 ? 'good' : l.leftShare >= 0.2 ? 'fair' : 'poor',
      why: `A rule of thumb: distance used ${pct(l.distanceShare)}, years ${pct(l.calendarShare)}.`,
    });
  }
  const years = facts.ageYears;
  if (years !== null && years > 0)
    lines.push(
      measuredLine('Life by measured health', report.health, ({ value, low, high }) => {
        const l = lifeByHealth(value, (high - low) / 4, years);
        const told = (v: number): string => (v >= 30 ? 'over 30' : v.toFixed(0));
        return {
          shows: `${told(l.yearsLeft)} years to 70 % (${told(l.fromYears)} to ${told(l.toYears)})`,
          judged: l.fromYears >= 5 ? 'good' : l.toYears >= 3 ? 'fair' : 'poor',
          why: 'If the loss goes on with the square root of time.',
        };
      }),
    );
  return lines;
}

/**
 * One-page verdict for somebody who wants to buy: spread at both ends, capacity, resistance, evenness, insulation,
 * codes and two estimates of life. Deferring to what was not measured: without both ends it cannot tell.
 */
export function buyersCheck(report: SpreadReport, pack: Pack, facts: BuyersFacts): BuyersVerdict {
  const full = report.nearFull && report.nearFull.medianSocFraction >= NEAR_FULL ? report.nearFull : null;
  const empty =
    report.nearEmpty && report.nearEmpty.medianSocFraction <= NEAR_EMPTY ? report.nearEmpty : null;
  const beyond = report.pack.verdict === 'over-discharged' || report.pack.verdict === 'over-charged';
  const lines: CheckLine[] = [
    deltaLine('Delta near full', full, 'A weak group looks fine at the top; balance shows there.', pack),
    deltaLine('Delta near empty', empty, 'A weak group falls away at the bottom.', pack),
    healthLine(report),
    resistanceLine(report, pack),
  ];
  const modules = [...new Set(report.findings.map((f) => f.module))];
  const dead = report.findings.some((f) => f.verdict === 'dead');
  lines.push({
    what: 'Odd channels',
    shows: beyond
      ? `the pack is ${report.pack.verdict}`
      : report.findings.length === 0
        ? 'none'
        : report.findings
            .slice(0, 3)
            .map((f) => `${f.channel} ${verdictName(f.verdict)}`)
            .join(', ') + (report.findings.length > 3 ? `, ${report.findings.length - 3} more` : ''),
    judged: beyond
      ? 'poor'
      : report.findings.length === 0
        ? 'good'
        : dead || modules.length > 2
          ? 'poor'
          : 'fair',
    why: beyond
      ? report.pack.reasons[0]!
      : report.findings.length === 0
        ? 'No channel stands out in what was recorded.'
        : 'Ask what repair costs before a price is agreed.',
  });
  lines.push(insulationLine(facts, pack));
  const { codes } = facts;
  lines.push({
    what: 'Trouble codes',
    shows:
      codes === null ? 'not read' : codes.length === 0 ? 'read: none' : codes.map((c) => c.code).join(', '),
    judged:
      codes === null
        ? 'unknown'
        : codes.length === 0
          ? 'good'
          : codes.some((c) => c.severity === 'stop')
            ? 'poor'
            : 'fair',
    why:
      codes === null
        ? 'Read them before a price is agreed.'
        : codes.length === 0
          ? 'Ask whether they were cleared before the visit.'
          : 'Every stored code is cleared up first.',
  });
  const t = report.temperature;
  lines.push({
    what: 'Temperatures',
    shows: t
      ? `${Math.round(t.medianC)} °C${t.widestK === null ? '' : `, sensors within ${t.widestK.toFixed(0)} K`}`
      : 'not recorded',
    judged: !t ? 'unknown' : t.odd ? 'poor' : t.comparable ? 'good' : 'fair',
    why:
      t && !t.comparable
        ? 'Cells compare best between 20 and 27 °C.'
        : 'One sensor far from the rest warms on its own.',
  });
  lines.push(...lifeLines(report, pack, facts));
  const lacking = [
    ...(full ? [] : ['A rested scan near full.']),
    ...(empty ? [] : ['A rested scan near empty.']),
    ...(codes === null ? ['The trouble codes.'] : []),
    ...(facts.insulationOhm === null ? ['The vehicle’s own insulation figure.'] : []),
    ...(facts.ageYears === null || facts.odometerKm === null ? ['Age and odometer.'] : []),
  ];
  const poor = lines.filter((l) => l.judged === 'poor');
  const fair = lines.filter((l) => l.judged === 'fair');
  const told = (list: CheckLine[]): string => list.map((l) => l.what.toLowerCase()).join(', ');
  if (
    beyond ||
    dead ||
    poor.some((l) => l.what === 'Insulation' || l.what === 'Capacity') ||
    poor.length >= 2
  )
    return { verdict: 'leave it', because: `Poor: ${told(poor)}.`, lines, lacking };
  if (!full || !empty)
    return {
      verdict: 'cannot tell yet',
      because: 'It takes a scan near full and one near empty.',
      lines,
      lacking,
    };
  if (poor.length > 0 || fair.length > 1)
    return {
      verdict: 'with reserve',
      because: `To settle first: ${told([...poor, ...fair])}.`,
      lines,
      lacking,
    };
  return {
    verdict: 'sound',
    because: fair.length ? `Nothing poor; only ${told(fair)} is fair.` : 'Every line is good.',
    lines,
    lacking,
  };
}
