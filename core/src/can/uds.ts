import { InputProblem } from '../problem';

/** A field within the data record of a data identifier, in an open JSON form of our own. */
export interface UdsField {
  name: string;
  /** First byte within the record, and count of bytes, most significant first. */
  byte: number;
  bytes: number;
  signed?: boolean | undefined;
  scale?: number | undefined;
  offset?: number | undefined;
  unit?: string | undefined;
  /** The field repeats this often; `{n}` in the name counts from 1. */
  repeat?: number | undefined;
}
export interface UdsDefinition {
  identifier: number;
  name: string;
  fields: UdsField[];
}

/**
 * A file of our own open JSON form: which identifiers a control unit answers, at which addresses, and how its records
 * are laid out. Times are not part of it: every answer is read at the moment its last frame came.
 */
export interface UdsFile {
  format: 'cellmend-uds-1';
  name: string;
  requestId: number;
  responseId: number;
  extended?: boolean | undefined;
  records: UdsDefinition[];
}

/** What a UDS response (ISO 14229-1) says. */
export type UdsResponse =
  | { kind: 'data'; identifier: number; record: Uint8Array }
  | { kind: 'codes'; report: number; availability: number; codes: { code: Uint8Array; status: number }[] }
  | { kind: 'negative'; service: number; code: number; meaning: string; pending: boolean }
  | { kind: 'other'; service: number; payload: Uint8Array };

/** Negative response codes of ISO 14229-1, annex A. From memory of the standard. */
export const NEGATIVE_RESPONSES: Record<number, string> = {
  0x10: 'general reject',
  0x11: 'service not supported',
  0x12: 'sub-function not supported',
  0x13: 'incorrect message length or format',
  0x14: 'response too long',
  0x21: 'busy, repeat the request',
  0x22: 'conditions not correct',
  0x24: 'request sequence error',
  0x31: 'request out of range',
  0x33: 'security access denied',
  0x35: 'invalid key',
  0x36: 'exceeded number of attempts',
  0x37: 'required time delay not expired',
  0x72: 'general programming failure',
  0x78: 'response pending',
  0x7e: 'sub-function not supported in this session',
  0x7f: 'service not supported in this session',
  0x81: 'rpm too high',
  0x92: 'voltage too high',
  0x93: 'voltage too low',
};

/** Reads one response. @throws InputProblem if it is shorter than its kind needs. */
export function parseUdsResponse(payload: Uint8Array): UdsResponse {
  const need = (n: number): void => {
    if (payload.length < n)
      throw new InputProblem(
        'uds-short',
        `A response of ${payload.length} bytes is too short.`,
        '',
        `At least ${n} bytes.`,
      );
  };
  need(1);
  const service = payload[0]!;
  if (service === 0x7f) {
    need(3);
    const code = payload[2]!;
    return {
      kind: 'negative',
      service: payload[1]!,
      code,
      meaning: NEGATIVE_RESPONSES[code] ?? 'not in the list',
      pending: code === 0x78,
    };
  }
  if (service === 0x62) {
    need(3);
    return { kind: 'data', identifier: (payload[1]! << 8) | payload[2]!, record: payload.slice(3) };
  }
  if (service === 0x59 && payload[1] !== 0x01) {
    need(3);
    const codes = [];
    for (let at = 3; at + 4 <= payload.length; at += 4)
      codes.push({ code: payload.slice(at, at + 3), status: payload[at + 3]! });
    return { kind: 'codes', report: payload[1]!, availability: payload[2]!, codes };
  }
  return { kind: 'other', service, payload };
}

/** Values of a record by its definition; fields beyond its end are left out. */
export function decodeRecord(
  record: Uint8Array,
  definition: UdsDefinition,
): { name: string; value: number; unit: string }[] {
  const out: { name: string; value: number; unit: string }[] = [];
  for (const f of definition.fields) {
    for (let n = 0; n < (f.repeat ?? 1); n++) {
      const from = f.byte + n * f.bytes;
      if (from + f.bytes > record.length) break;
      let raw = 0;
      for (let i = 0; i < f.bytes; i++) raw = raw * 256 + record[from + i]!;
      if (f.signed && raw >= 2 ** (8 * f.bytes - 1)) raw -= 2 ** (8 * f.bytes);
      out.push({
        name: f.name.replace('{n}', String(n + 1)),
        value: raw * (f.scale ?? 1) + (f.offset ?? 0),
        unit: f.unit ?? '',
      });
    }
  }
  return out;
}
