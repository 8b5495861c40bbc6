import { decodeRecord, printCode, type UdsFile } from '@cellmend/core/can';
import type { SocketcandClient } from './socketcand';
import { UdsTester } from './uds';

export interface LiveValue {
  name: string;
  unit: string;
  value: number;
  timeS: number;
}
export interface LiveEvents {
  onValues: (values: LiveValue[]) => void;
  onCodes: (codes: { code: string; status: number }[]) => void;
  onRefused: (meaning: string) => void;
}

/** ReadDTCInformation, by status mask: every stored code. ISO 14229-1. */
const READ_CODES = Uint8Array.from([0x19, 0x02, 0xff]);
const CODES_EVERY_MS = 10_000;
const BETWEEN_ROUNDS_MS = 100;

/**
 * Polls every record of a definition file, round after round, until told to stop. Trouble codes are read at the
 * start and every ten seconds; nothing is ever cleared or written.
 */
export async function pollVehicle(
  client: SocketcandClient,
  file: UdsFile,
  events: LiveEvents,
  signal: AbortSignal,
): Promise<void> {
  const tester = new UdsTester(client, file.requestId, file.responseId, file.extended);
  const unknown = new Set<number>();
  let codesAt = -Infinity;
  const lost = new Promise<never>((_, reject) => client.onClose((why) => reject(new Error(why))));
  lost.catch(() => undefined);
  while (!signal.aborted) {
    if (Date.now() - codesAt > CODES_EVERY_MS) {
      codesAt = Date.now();
      const { response } = await Promise.race([tester.ask(READ_CODES), lost]);
      if (response.kind === 'codes')
        events.onCodes(response.codes.map((c) => ({ code: printCode(c.code), status: c.status })));
      else if (response.kind === 'negative') events.onRefused(response.meaning);
    }
    for (const record of file.records) {
      if (signal.aborted) return;
      if (unknown.has(record.identifier)) continue;
      const { response, timeS } = await Promise.race([
        tester.ask(Uint8Array.from([0x22, record.identifier >> 8, record.identifier & 0xff])),
        lost,
      ]);
      if (response.kind === 'data' && response.identifier === record.identifier)
        events.onValues(decodeRecord(response.record, record).map((v) => ({ ...v, timeS })));
      else if (response.kind === 'negative') {
        unknown.add(record.identifier);
        events.onRefused(response.meaning);
      }
    }
    await new Promise((r) => setTimeout(r, BETWEEN_ROUNDS_MS));
  }
}
