import type { BusTraceSchema } from '@cellmend/contract/records';
import { decodeRecord, type UdsFile } from '@cellmend/core/can';
import { InputProblem } from '@cellmend/core/pack';
import { busSignals, thinTrace, type BusTrace } from '@cellmend/core/precharge';
import type { SocketcandClient } from '@cellmend/devices/socketcand';
import { UdsTester } from '@cellmend/devices/uds';
import type { z } from 'zod';

const MOST_KEPT = 3000;

/**
 * Asks for nothing but the bus and the pack, as fast as the vehicle answers, so that the rise of pre-charge can be seen.
 * @throws InputProblem where the definitions name no bus, or the vehicle does not answer
 */
export async function watchBus(
  client: SocketcandClient,
  file: UdsFile,
  seconds: number,
  signal: AbortSignal,
): Promise<Omit<z.output<typeof BusTraceSchema>, 'toldPackV'>> {
  const fields = file.records.flatMap((r) =>
    r.fields.map((f) => ({ name: f.name, unit: f.unit ?? '', record: r })),
  );
  const named = busSignals(fields);
  if (!named)
    throw new InputProblem(
      'bus',
      'These definitions name no voltage of the bus.',
      'definitions',
      'A field in V whose name says bus, link or inverter.',
    );
  const of = (name: string | null) => fields.find((f) => f.name === name);
  const records = [...new Set([of(named.bus)!.record, ...(named.pack ? [of(named.pack)!.record] : [])])];
  const scale = (name: string): number => (/^mv$/i.test(of(name)!.unit) ? 1e-3 : 1);
  const tester = new UdsTester(client, file.requestId, file.responseId, file.extended);
  const lost = new Promise<never>((_, reject) => client.onClose((why) => reject(new Error(why))));
  lost.catch(() => undefined);
  const out: Required<BusTrace> = { timeS: [], busV: [], packV: [] };
  let pack: number | null = null;
  const until = Date.now() + seconds * 1000;
  while (Date.now() < until && !signal.aborted)
    for (const r of records) {
      const ask = Uint8Array.from([0x22, r.identifier >> 8, r.identifier & 0xff]);
      const { response, timeS } = await Promise.race([tester.ask(ask), lost]);
      if (response.kind !== 'data')
        throw new InputProblem(
          'bus',
          'The vehicle does not tell its bus.',
          'the vehicle',
          'Definitions that belong to this vehicle.',
        );
      const values = decodeRecord(response.record, r);
      const read = (name: string | null): number | null => {
        const found = values.find((v) => v.name === name);
        return found ? found.value * scale(name!) : null;
      };
      pack = read(named.pack) ?? pack;
      const bus = read(named.bus);
      if (bus === null || (out.timeS.length > 0 && !(timeS > out.timeS.at(-1)!))) continue;
      out.timeS.push(timeS);
      out.busV.push(bus);
      if (pack !== null) out.packV.push(pack);
    }
  const t0 = out.timeS[0] ?? 0;
  const kept = thinTrace(
    {
      timeS: out.timeS.map((t) => Math.round((t - t0) * 1e5) / 1e5),
      busV: out.busV,
      ...(out.packV.length === out.timeS.length ? { packV: out.packV } : {}),
    },
    MOST_KEPT,
  );
  return { timeS: kept.timeS, busV: kept.busV, ...(kept.packV ? { packV: kept.packV } : {}) };
}
