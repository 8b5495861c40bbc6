import type { PackProfile } from '../pack';
import type { ScanRecord } from './record';

/** Under which name scans give the voltage at each channel's place, in the order of the profile. */
export const namesInScans = (profile: Pick<PackProfile, 'channels'>): string[] =>
  profile.channels.map((c) => c.reportedAs ?? c.id);

/** For each channel's place, the index of the channel whose name scans give it under; null where each is its own. */
export function wiring(profile: Pick<PackProfile, 'channels'>): number[] | null {
  if (profile.channels.every((c) => c.reportedAs === undefined || c.reportedAs === c.id)) return null;
  const index = new Map(profile.channels.map((c, i) => [c.id, i]));
  return namesInScans(profile).map((name) => index.get(name)!);
}

/**
 * A scan's record with every voltage at the place where it was measured. What was metered at the terminals needs none of
 * it: it was taken at the place.
 */
export function asWired(record: ScanRecord, profile: Pick<PackProfile, 'channels'>): ScanRecord {
  const from = wiring(profile);
  return from ? { ...record, voltageV: from.map((i) => record.voltageV[i]!) } : record;
}

/**
 * A profile whose sense wires lie as the meter says: at the place of each `channelIndex` is what scans have shown at the
 * place of `shows`. Names of channels, modules and places stay, and with them all that was ever typed or metered there.
 */
export function rewired(
  profile: PackProfile,
  instead: readonly { channelIndex: number; shows: number }[],
): PackProfile {
  const names = namesInScans(profile);
  const now = [...names];
  for (const { channelIndex, shows } of instead) now[channelIndex] = names[shows]!;
  return {
    ...profile,
    channels: profile.channels.map(({ id, cells }, i) =>
      now[i] === id ? { id, cells } : { id, cells, reportedAs: now[i]! },
    ),
  };
}
