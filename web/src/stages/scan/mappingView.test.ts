import type { ScanPreview } from '@cellmend/contract/scans';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import {
  channelUnit,
  fillChannels,
  lackOf,
  mappingFrom,
  rowsOf,
  targetOf,
  valueOf,
  withDirection,
} from './mappingView';

const pack = normalisePack(
  JSON.parse(
    readFileSync(join(import.meta.dirname, '../../../../demo/packs/tarn-48v.json'), 'utf8'),
  ) as PackProfile,
);
const names = ['when', 'amps', ...pack.channels.map((_, i) => `Zelle-${String.fromCharCode(97 + i)}`), 'fan'];
const preview: ScanPreview = {
  format: 'table',
  untimed: false,
  entries: [],
  names,
  rows: [['0', '-3.2', ...pack.channels.map(() => '3712'), '40']],
  mapping: {
    layout: 'wide',
    delimiter: ';',
    decimal: '.',
    targets: [
      { kind: 'time', unit: 's' },
      { kind: 'current', unit: 'A', positive: 'discharge' },
      ...pack.channels.map(() => ({ kind: 'ignore' }) as const),
      { kind: 'ignore' },
    ],
  },
  signals: [],
  missingChannels: [],
  unused: [],
  clear: false,
  remembered: false,
  definitions: [],
};

describe('naming columns', () => {
  it('fills the channels in order with what could be one, in its unit', () => {
    const rows = fillChannels(rowsOf(preview), pack);
    expect(rows[2]!.target).toEqual({ kind: 'channel', channelIndex: 0, unit: 'mV' });
    expect(rows[names.length - 1]!.target.kind).toBe('ignore');
    expect(lackOf(rows, preview, pack)).toBeNull();
    expect(mappingFrom(rows, preview).targets).toHaveLength(names.length);
  });

  it('says what lacks and what is named twice', () => {
    expect(lackOf(rowsOf(preview), preview, pack)).toMatch(/14 of 14 channels/);
    const rows = fillChannels(rowsOf(preview), pack);
    rows[3] = { ...rows[3]!, target: rows[2]!.target };
    expect(lackOf(rows, preview, pack)).toMatch(/Two columns stand for g01/);
  });

  it('writes every target as an option and reads it back', () => {
    for (const row of fillChannels(rowsOf(preview), pack))
      expect(targetOf(valueOf(row.target, pack), pack)).toEqual(row.target);
  });

  it('knows volts from millivolts by size', () => {
    expect([channelUnit('3.71 3.70', pack), channelUnit('3712', pack), channelUnit('40', pack)]).toEqual([
      'V',
      'mV',
      null,
    ]);
  });

  it('keeps the direction that somebody confirmed', () => {
    const mapping = withDirection(preview, 'charge');
    expect(mapping.directionConfirmed).toBe(true);
    expect(mapping.targets[1]).toEqual({ kind: 'current', unit: 'A', positive: 'charge' });
  });
});
