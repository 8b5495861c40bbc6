import { parseUdsResponse, printCode } from '@cellmend/core/can';
import { InputProblem, normalisePack } from '@cellmend/core/pack';
import { healthyPack, Random } from '@cellmend/core/simpack';
import fc from 'fast-check';
import { execFile } from 'node:child_process';
import { createServer } from 'node:net';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { pilotCar } from '../../cli/src/demoPacks';
import { pollVehicle, type LiveValue } from './live';
import { BracketReader, parseFrameMessage, printFrameMessage, SocketcandClient } from './socketcand';
import { UdsTester } from './uds';
import { SimulatedVehicle, vehicleDefinition } from './vehicle';

const sim = healthyPack(normalisePack(pilotCar()), new Random(3), 0.9);
sim.startSoc = 0.8;
let vehicle: SimulatedVehicle;
let port: number;
beforeAll(async () => {
  ({ vehicle, port } = await SimulatedVehicle.start(sim, {
    speed: 30,
    codes: [{ code: 'P0AA6-1A', status: 0x08 }],
  }));
});
afterAll(() => vehicle.stop());

describe('a live vehicle', () => {
  it('gives every channel, current and charge, and its voltages change while it drives', async () => {
    const client = await SocketcandClient.open('127.0.0.1', port, 'can0');
    const stop = new AbortController();
    const values: LiveValue[] = [];
    const codes: string[] = [];
    setTimeout(() => stop.abort(), 5000);
    await pollVehicle(
      client,
      vehicleDefinition(sim, 'test'),
      {
        onValues: (v) => values.push(...v),
        onCodes: (c) => codes.push(...c.map((x) => x.code)),
        onRefused: () => undefined,
      },
      stop.signal,
    );
    client.close();
    const cell = values.filter((v) => v.name === 'Cell42').map((v) => v.value);
    expect(new Set(values.filter((v) => v.name.startsWith('Cell')).map((v) => v.name)).size).toBe(84);
    expect(cell.every((v) => v > 3 && v < 4.3)).toBe(true);
    expect(new Set(cell).size).toBeGreaterThan(4);
    expect(values.some((v) => v.name === 'Current_A' && Math.abs(v.value) > 5)).toBe(true);
    expect(codes).toContain('P0AA6-1A');
  });

  it('refuses what it does not know, and has nothing that clears a code', async () => {
    const client = await SocketcandClient.open('127.0.0.1', port, 'can0');
    const tester = new UdsTester(client, 0x7e4, 0x7ec);
    const unknown = await tester.ask(Uint8Array.from([0x22, 0x12, 0x34]));
    expect(unknown.response).toMatchObject({ kind: 'negative', meaning: 'request out of range' });
    // ClearDiagnosticInformation, 0x14 of ISO 14229-1.
    const clear = await tester.ask(Uint8Array.from([0x14, 0xff, 0xff, 0xff]));
    expect(clear.response).toMatchObject({ kind: 'negative', meaning: 'service not supported' });
    client.close();
  });

  it('says when nobody answers, and when the other side is no gateway', async () => {
    const client = await SocketcandClient.open('127.0.0.1', port, 'can0');
    await expect(new UdsTester(client, 0x111, 0x222).ask(Uint8Array.from([0x3e, 0]))).rejects.toThrow(
      /does not answer/,
    );
    client.close();
    await expect(SocketcandClient.open('127.0.0.1', port, 'can9')).rejects.toThrow(/answered/);
    await expect(SocketcandClient.open('127.0.0.1', 1, 'can0')).rejects.toThrow(InputProblem);
    const noise = createServer((s) => {
      s.on('error', () => undefined);
      s.write('x'.repeat(200_000) + '<'.padEnd(200_000, 'y'));
    });
    await new Promise<void>((r) => noise.listen(0, '127.0.0.1', r));
    const address = noise.address() as { port: number };
    await expect(SocketcandClient.open('127.0.0.1', address.port, 'can0')).rejects.toThrow(
      /No gateway|not the socketcand/,
    );
    noise.close();
  });
});

// python3-can of Debian has a socketcand client of its own: it opens the bus, sends a request and reads the answer.
const PEER = `
import can, json, sys, time
bus = can.interface.Bus(interface='socketcand', host='127.0.0.1', port=int(sys.argv[1]), channel='can0')
def ask(payload):
    data = bytes([len(payload)]) + bytes(payload)
    bus.send(can.Message(arbitration_id=0x7e4, data=data.ljust(8, b'\\xaa'), is_extended_id=False))
    got = None; size = 0; end = time.time() + 4
    while time.time() < end:
        m = bus.recv(1)
        if m is None or m.arbitration_id != 0x7ec: continue
        kind = m.data[0] >> 4
        if kind == 0: return bytes(m.data[1:1 + (m.data[0] & 15)])
        if kind == 1:
            size = ((m.data[0] & 15) << 8) | m.data[1]; got = bytes(m.data[2:])
            bus.send(can.Message(arbitration_id=0x7e4, data=bytes([0x30, 0, 0]).ljust(8, b'\\xaa'), is_extended_id=False))
        if kind == 2:
            got += bytes(m.data[1:])
            if len(got) >= size: return got[:size]
    raise SystemExit('no answer')
status = None; end = time.time() + 3
while status is None and time.time() < end:
    m = bus.recv(1)
    if m is not None and m.arbitration_id == 0x500: status = m
print(json.dumps({'cells': list(ask([0x22, 0x48, 0x01])), 'codes': list(ask([0x19, 0x02, 0xff])),
  'packVoltageV': int.from_bytes(status.data[0:2], 'big') / 10, 'at': status.timestamp}))
`;

it('an independent client reads the same vehicle', async () => {
  const { stdout } = await promisify(execFile)('/usr/bin/python3', ['-c', PEER, String(port)]);
  const peer = JSON.parse(stdout.slice(stdout.indexOf('{'))) as {
    cells: number[];
    codes: number[];
    packVoltageV: number;
    at: number;
  };
  const data = parseUdsResponse(Uint8Array.from(peer.cells));
  expect(data.kind).toBe('data');
  const volts = Array.from(
    { length: 84 },
    (_, i) => (peer.cells[3 + 2 * i]! * 256 + peer.cells[4 + 2 * i]!) / 1000,
  );
  expect(volts.every((v) => v > 3 && v < 4.3)).toBe(true);
  // The broadcast pack voltage is the sum of the cells, within the drive's movement between the two.
  expect(Math.abs(volts.reduce((a, b) => a + b, 0) - peer.packVoltageV)).toBeLessThan(25);
  const codes = parseUdsResponse(Uint8Array.from(peer.codes));
  expect(codes.kind === 'codes' && codes.codes.map((c) => printCode(c.code))).toEqual(['P0AA6-1A']);
});

describe('the text protocol', () => {
  it('reads back every frame it prints', () => {
    fc.assert(
      fc.property(
        fc.record({
          id: fc.integer({ min: 0, max: 0x7ff }),
          data: fc.uint8Array({ maxLength: 8 }),
          timeS: fc.integer({ min: 0, max: 2 ** 31 }),
        }),
        fc.boolean(),
        ({ id, data, timeS }, extended) => {
          const frame = { id, data, timeS, extended };
          expect(parseFrameMessage(printFrameMessage(frame).slice(1, -1).trim())).toEqual(frame);
        },
      ),
    );
  });

  it('finds the same messages however the stream is cut', () => {
    const text = '< hi >< frame 7EC 1.5 0102 >noise< ok >';
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 5, maxLength: 60 }), (cuts) => {
        const messages: string[] = [];
        const reader = new BracketReader((m) => messages.push(m));
        let at = 0;
        for (const c of [...cuts, text.length]) {
          reader.push(text.slice(at, at + c));
          at += c;
        }
        expect(messages).toEqual(['hi', 'frame 7EC 1.5 0102', 'ok']);
      }),
    );
  });

  it('takes anything at all without failing in another way than a told problem', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 400 }), (noise) => {
        const reader = new BracketReader((m) => void parseFrameMessage(m));
        try {
          reader.push(noise);
        } catch (e) {
          expect(e).toBeInstanceOf(InputProblem);
        }
      }),
    );
  });
});
