import { lookUpCode } from '../can';
import type { BuyersFacts } from './check';

/** What intake knows of a vehicle or a pack that somebody wants to buy. */
export interface BuyersIntake {
  odometerKm: number | null;
  ageYears: number | null;
  insulationOhm: number | null;
  codes: readonly string[];
  codesRead: boolean;
}

/**
 * What a job knows of what is offered, beside its scan.
 * @param scannedCodes codes that were read of it since, each once or more often
 */
export function buyersFacts(
  intake: Partial<BuyersIntake> | null | undefined,
  scannedCodes: readonly string[],
): BuyersFacts {
  const codes = [...new Set([...(intake?.codes ?? []), ...scannedCodes])].map((code) => ({
    code,
    severity: lookUpCode(code)?.severity ?? null,
  }));
  return {
    odometerKm: intake?.odometerKm ?? null,
    ageYears: intake?.ageYears ?? null,
    insulationOhm: intake?.insulationOhm ?? null,
    // That none was written down says nothing where none was read.
    codes: codes.length > 0 || intake?.codesRead ? codes : null,
  };
}
