import { readPackProfile } from '@cellmend/contract/pack';
import { fieldsOf } from '@cellmend/contract/problem';
import { InputProblem, normalisePack, type Measured, type Pack } from '@cellmend/core/pack';
import { asWired, CsvScanReader, type ScanRecord } from '@cellmend/core/scan';
import { spreadReport, verdictName, type SpreadReport } from '@cellmend/core/diagnosis';
import { createReadStream, readFileSync } from 'node:fs';

/** Reads and checks a `pack.json`. @throws InputProblem */
export function readPack(path: string): Pack {
  let body: unknown;
  try {
    body = JSON.parse(readFileSync(path, 'utf8'));
  } catch (e) {
    throw new InputProblem(
      'pack-file',
      `${path} cannot be read: ${(e as Error).message}`,
      path,
      'A pack.json file.',
    );
  }
  const parsed = readPackProfile(body);
  if (!parsed.success)
    throw new InputProblem(
      'pack-shape',
      fieldsOf(parsed.error)
        .slice(0, 4)
        .map((f) => `${f.field}: ${f.message}`)
        .join(' · '),
      path,
      'A pack.json with name, chemistry, ratedCapacityAh, channels, modules, nominalGroupResistanceMilliohm and ocv.',
    );
  return normalisePack(parsed.data);
}

export async function readScan(path: string, pack: Pack): Promise<ScanRecord> {
  const reader = new CsvScanReader(pack);
  try {
    for await (const piece of createReadStream(path, { encoding: 'utf8', highWaterMark: 1 << 18 }))
      reader.push(piece as string);
  } catch (e) {
    if (e instanceof InputProblem) throw e;
    throw new InputProblem(
      'scan-file',
      `${path} cannot be read: ${(e as Error).message}`,
      path,
      'A scan file.',
    );
  }
  return reader.finish();
}

const round = (v: number, digits: number): number => Number(v.toFixed(digits));

/** A measured figure with its interval; null where the record does not measure it. */
const figure = (m: Measured): { value: number; low: number; high: number } | null =>
  m.measured ? { value: m.value, low: m.low, high: m.high } : null;

/** The answer of `cellmend spread` in its stable shape. */
export function answerOf(report: SpreadReport): unknown {
  return {
    findings: report.findings.map((f) => ({
      channel: f.channel,
      module: f.module,
      verdict: f.verdict,
      confidence: round(f.confidence, 3),
      alternatives: f.alternatives.map((a) => ({ verdict: a.verdict, confidence: round(a.confidence, 3) })),
      estimate: Object.fromEntries(Object.entries(f.estimate).map(([k, v]) => [k, round(v as number, 4)])),
      reasons: f.reasons,
      ...(f.films ? { films: f.films } : {}),
    })),
    nextTest: report.nextTest,
    pack: report.pack,
    capacityAh: figure(report.capacityAh),
    health: figure(report.health),
    differences: report.differences ?? [],
    contradicts: report.contradicts ?? [],
    ...(report.total ? { total: report.total } : {}),
  };
}

/** `cellmend spread --pack pack.json --scan scan.csv [--json]` */
export async function spread(options: {
  pack?: string | undefined;
  scan?: string | undefined;
  json: boolean;
}): Promise<string> {
  if (!options.pack || !options.scan)
    throw new InputProblem(
      'usage',
      'spread needs --pack and --scan.',
      '',
      'cellmend spread --pack pack.json --scan scan.csv --json',
    );
  const pack = readPack(options.pack);
  const report = spreadReport(asWired(await readScan(options.scan, pack), pack.profile), pack);
  if (options.json) return JSON.stringify(answerOf(report));
  const lines = report.findings.map(
    (f) =>
      `${f.channel.padEnd(7)} ${f.module.padEnd(9)} ${verdictName(f.verdict).padEnd(16)} ${f.verdict === 'undetermined' ? '   ?' : `${String(Math.round(f.confidence * 100)).padStart(3)} %`}  ${f.reasons.join(' ')}`,
  );
  const beyond = report.pack.verdict === 'over-discharged' || report.pack.verdict === 'over-charged';
  const said = [
    ...(report.pack.verdict === 'ok' ? [] : [`The pack is ${report.pack.verdict}.`]),
    ...report.pack.reasons,
    ...(report.contradicts ?? []),
    ...(report.judged ?? []),
  ];
  const harmless = (report.differences ?? []).map(
    (x) => `${x.channel.padEnd(7)} ${x.module.padEnd(9)} differs, harmless: ${x.says}`,
  );
  return [
    ...said,
    lines.length > 0 ? lines.join('\n') : beyond ? 'Nothing in it is compared.' : 'No channel stands out.',
    report.capacityAh.measured
      ? `Capacity: ${report.capacityAh.value.toFixed(1)} A·h (${report.capacityAh.low.toFixed(1)} to ${report.capacityAh.high.toFixed(1)}).`
      : `Capacity: not measured. ${report.capacityAh.why}`,
    ...harmless,
    `Next: ${report.nextTest}`,
  ].join('\n');
}
