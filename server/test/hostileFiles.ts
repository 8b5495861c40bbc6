import { Random } from '@cellmend/core/simpack';
import ExcelJS from 'exceljs';
import { deflateRawSync } from 'node:zlib';

type Where = 'scan' | 'preview' | 'definition';
export interface HostileFile {
  name: string;
  where: Where;
  bytes: Uint8Array;
}
const text = (t: string): Uint8Array => new TextEncoder().encode(t);
const MB = 1_000_000;

/** A zip of one stored or deflated entry whose header claims what it is told to claim. */
function zip(name: string, plain: Uint8Array, claim = plain.length): Uint8Array {
  const packed = deflateRawSync(plain, { level: 9 });
  const n = Buffer.from(name);
  const head = Buffer.alloc(30);
  head.writeUInt32LE(0x04034b50, 0);
  head.writeUInt16LE(20, 4);
  head.writeUInt16LE(8, 8);
  head.writeUInt32LE(packed.length, 18);
  head.writeUInt32LE(claim >>> 0, 22);
  head.writeUInt16LE(n.length, 26);
  const central = Buffer.alloc(46);
  central.writeUInt32LE(0x02014b50, 0);
  central.writeUInt16LE(20, 6);
  central.writeUInt16LE(8, 10);
  central.writeUInt32LE(packed.length, 20);
  central.writeUInt32LE(claim >>> 0, 24);
  central.writeUInt16LE(n.length, 28);
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  end.writeUInt16LE(1, 8);
  end.writeUInt16LE(1, 10);
  end.writeUInt32LE(46 + n.length, 12);
  end.writeUInt32LE(30 + n.length + packed.length, 16);
  return Buffer.concat([head, n, packed, central, n, end]);
}

/** Files that somebody makes who wishes the server ill, or whose disk is broken: one a seed. */
export async function hostileFiles(seed: number, count: number): Promise<HostileFile[]> {
  const random = new Random(seed);
  const ids = Array.from({ length: 14 }, (_, i) => `g${String(i + 1).padStart(2, '0')}`);
  const good = (rows: number): string =>
    `time_s,current_A,${ids.map((i) => `${i}_V`).join(',')}\n${Array.from({ length: rows }, (_, t) => `${t},${(t % 9) - 4},${ids.map((_, i) => (3.5 + i / 1000 + ((t % 9) - 4) / 500).toFixed(4)).join(',')}`).join('\n')}\n`;
  const book = new ExcelJS.Workbook();
  book.addWorksheet('Cells').addRows([['Cell', 'V'], ...ids.map((i, k) => [i, 3.6 + k / 1000])]);
  const workbook = new Uint8Array(await book.xlsx.writeBuffer());
  const table = text(good(300));
  const dbc = text(
    `VERSION ""\nBU_: A\n${Array.from({ length: 60 }, (_, m) => `BO_ ${256 + m} M${m}: 8 A\n SG_ Cell${m} : 0|16@1+ (0.001,0) [0|5] "V" A\n`).join('\n')}`,
  );
  const uds = text(
    JSON.stringify({
      name: 'x',
      requests: [{ id: '7e4', response: '7ec', service: 34, did: 1, signals: [] }],
    }),
  );
  const mangled = (bytes: Uint8Array): Uint8Array => {
    const out = new Uint8Array(bytes);
    for (let k = 0; k < 1 + random.integer(0, 40); k++)
      out[random.integer(0, out.length - 1)] = random.integer(0, 255);
    return random.uniform() < 0.3 ? out.slice(0, random.integer(1, out.length)) : out;
  };
  const filled = (size: number, unit: string): string => unit.repeat(Math.ceil(size / unit.length));
  const kinds: (() => [string, Where, Uint8Array])[] = [
    () => [
      'noise.bin',
      'scan',
      Uint8Array.from({ length: random.integer(1, 200_000) }, () => random.integer(0, 255)),
    ],
    () => ['mangled.csv', 'scan', mangled(table)],
    () => ['mangled.xlsx', 'scan', mangled(workbook)],
    () => ['mangled.dbc', 'definition', mangled(dbc)],
    () => ['mangled.json', 'definition', mangled(uds)],
    () => [
      'one-line.csv',
      'scan',
      text(filled(random.integer(1, 6) * MB, random.pick(['1', ',', '"', ' ', '\t', '-', '.5']))),
    ],
    () => ['wide.csv', 'preview', text(`${filled(random.integer(1, 3) * MB, 'c,')}\n${filled(MB, '1,')}`)],
    () => ['quotes.csv', 'scan', text(`time_s,a_V\n"${filled(2 * MB, '""')}`)],
    () => [
      'numbers.csv',
      'scan',
      text(
        good(20).replace(/3\.5/g, random.pick(['1e308', '-1e308', 'NaN', 'Infinity', '0x10', '3,5', '٣'])),
      ),
    ],
    () => ['nul.csv', 'scan', text(good(20).replace(/\n/g, '\u0000\n'))],
    () => ['utf16.csv', 'scan', Buffer.from(`\ufeff${good(50)}`, 'utf16le')],
    () => ['backwards.csv', 'scan', text(good(200).split('\n').reverse().join('\n'))],
    () => ['deep.json', 'definition', text(`${'['.repeat(200_000)}${']'.repeat(200_000)}`)],
    () => [
      'keys.json',
      'definition',
      text(`{${Array.from({ length: 60_000 }, (_, i) => `"k${i}":${i}`).join(',')}}`),
    ],
    () => [
      'proto.json',
      'definition',
      text('{"__proto__":{"x":1},"constructor":{"prototype":{"y":2}},"name":"z","requests":[]}'),
    ],
    () => [
      'token.dbc',
      'definition',
      text(`BO_ 256 ${filled(random.integer(1, 4) * MB, random.pick(['M', ' ', '"', ':', '(']))}: 8 A\n`),
    ],
    () => [
      'signals.dbc',
      'definition',
      text(`BO_ 256 M: 8 A\n${filled(3 * MB, ' SG_ S : 0|16@1+ (0.001,0) [0|5] "V" A\n')}`),
    ],
    () => ['zeros.zip', 'scan', zip('scan.csv', new Uint8Array(random.integer(5, 60) * MB))],
    () => ['lies.zip', 'scan', zip('scan.csv', new Uint8Array(30 * MB), random.pick([10, 0, 0xffffffff]))],
    () => ['path.zip', 'scan', zip('../../../../tmp/outside.csv', table)],
    () => ['cut.zip', 'scan', zip('scan.csv', table).slice(0, random.integer(4, 400))],
    () => [
      'candump.log',
      'scan',
      text(filled(random.integer(1, 4) * MB, '(1700000000.000001) can0 7E8#0322F40D11223344\n')),
    ],
    () => ['candump-odd.log', 'scan', text(filled(2 * MB, '(17e308) can0 FFFFFFFFF#ZZ\n(-1) can0 1#\n'))],
    () => ['sheet.xlsx', 'preview', mangled(workbook)],
    () => ['empty', random.pick(['scan', 'preview', 'definition']), new Uint8Array(0)],
  ];
  return Array.from({ length: count }, (_, k) => {
    const [name, where, bytes] = kinds[k % kinds.length]!();
    return { name, where, bytes };
  });
}
