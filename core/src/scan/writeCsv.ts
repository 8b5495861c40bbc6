import type { ScanRecord } from './record';

/** Writes a record as the wide CSV that `readScanCsv` reads. Volts keep the decimals of the sensor step. */
export function writeScanCsv(record: ScanRecord, decimals: number): string {
  const time = record.voltageV[0]!.timeS;
  const head = [
    'time_s',
    ...(record.currentA ? ['current_A'] : []),
    ...(record.temperatureC ? ['temp_C'] : []),
    ...(record.reportedSocFraction ? ['soc_pct'] : []),
    ...record.channelIds.map((id) => `${id}_V`),
  ];
  const lines = [head.join(',')];
  for (let i = 0; i < time.length; i++) {
    const row = [String(Math.round(time[i]! * 100) / 100)];
    if (record.currentA) row.push(record.currentA.value[i]!.toFixed(1));
    if (record.temperatureC) row.push(record.temperatureC.value[i]!.toFixed(1));
    if (record.reportedSocFraction) row.push((record.reportedSocFraction.value[i]! * 100).toFixed(1));
    for (const s of record.voltageV) row.push(s.value[i]!.toFixed(decimals));
    lines.push(row.join(','));
  }
  return lines.join('\n') + '\n';
}
