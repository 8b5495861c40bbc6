import { isoTpFrames, parseCode, type UdsFile } from '@cellmend/core/can';
import { driveLegs, LivePack, Random, type SimPack } from '@cellmend/core/simpack';
import { createServer, type Server, type Socket } from 'node:net';
import { BracketReader, printFrameMessage, type BusFrame } from './socketcand';

/** Where the simulated control unit listens and answers, and the identifiers of its records. */
const REQUEST = 0x7e4;
const RESPONSE = 0x7ec;
const CELLS = 0x4801;
const PACK = 0x4802;
const BUS = 0x4803;
/** Periodic broadcast of pack voltage and current. */
const STATUS = 0x500;
const STATUS_EVERY_MS = 100;

/** Field definitions of the simulated vehicle, in the open form that the app reads. */
export function vehicleDefinition(sim: SimPack, name: string): UdsFile {
  return {
    format: 'cellmend-uds-1',
    name,
    requestId: REQUEST,
    responseId: RESPONSE,
    records: [
      {
        identifier: PACK,
        name: 'Pack',
        fields: [
          { name: 'Current_A', byte: 0, bytes: 2, signed: true, scale: 0.1, unit: 'A' },
          { name: 'SOC', byte: 2, bytes: 2, scale: 0.01, unit: '%' },
          { name: 'Temp_front', byte: 4, bytes: 1, offset: -40, unit: 'C' },
          { name: 'Temp_rear', byte: 5, bytes: 1, offset: -40, unit: 'C' },
        ],
      },
      {
        identifier: BUS,
        name: 'Bus',
        fields: [
          { name: 'Bus_V', byte: 0, bytes: 2, scale: 0.1, unit: 'V' },
          { name: 'Pack_V', byte: 2, bytes: 2, scale: 0.1, unit: 'V' },
        ],
      },
      {
        identifier: CELLS,
        name: 'Cells',
        fields: [
          {
            name: 'Cell{n}',
            byte: 0,
            bytes: 2,
            scale: 0.001,
            unit: 'V',
            repeat: sim.pack.channels.length,
          },
        ],
      },
    ],
  };
}

/** The broadcast of the simulated vehicle as a DBC file. */
export const VEHICLE_DBC = `VERSION ""

BU_: BMS

BO_ ${STATUS} PackStatus: 8 BMS
 SG_ PackVoltage : 7|16@0+ (0.1,0) [0|1000] "V" BMS
 SG_ PackCurrent : 23|16@0- (0.1,0) [-1000|1000] "A" BMS
 SG_ StateOfCharge : 32|8@1+ (0.5,0) [0|100] "%" BMS
`;

export interface VehicleOptions {
  /** Seconds of drive that pass in one second. */
  speed?: number;
  port?: number;
  bus?: string;
  codes?: { code: string; status: number }[];
  seed?: number;
  /** Resistor and capacitance of its bus, and how long its pre-charge lasts. */
  preCharge?: { ohm: number; farad: number; mainAfterS: number };
}
/** It is switched ready so long after it was started, and off again, s. */
const READY_AFTER_S = 2;
const OFF_AFTER_S = 5;
const PRE_CHARGE = { ohm: 40, farad: 1.1e-3, mainAfterS: 0.25 };
/** What empties its bus. */
const BLEEDER_OHM = 700;

/**
 * A vehicle that is not there: it drives, its voltages move, and it speaks socketcand over TCP and UDS over ISO-TP.
 * Only on loopback. It reads and answers; like a real one it has no request that clears anything here.
 */
export class SimulatedVehicle {
  private readonly pack: LivePack;
  private readonly clients = new Set<Socket>();
  private readonly server: Server;
  private readonly random: Random;
  private legs: { durationS: number; currentA: number }[] = [];
  private timers: NodeJS.Timeout[] = [];
  private last = performance.now();
  private readonly bornMs = performance.now();
  /** Frames carry the time of the drive, which may run faster than the clock. */
  private readonly startedS = Date.now() / 1000;
  /** Frames that wait for a flow control frame of the tester. */
  private held: Uint8Array[] = [];

  private constructor(
    sim: SimPack,
    private readonly options: VehicleOptions,
  ) {
    this.random = new Random(options.seed ?? 7);
    this.pack = new LivePack(sim, new Random((options.seed ?? 7) + 1));
    this.server = createServer((socket) => this.serve(socket));
  }

  static async start(
    sim: SimPack,
    options: VehicleOptions = {},
  ): Promise<{ vehicle: SimulatedVehicle; port: number }> {
    const vehicle = new SimulatedVehicle(sim, options);
    await new Promise<void>((resolve, reject) => {
      vehicle.server.once('error', reject);
      vehicle.server.listen(options.port ?? 0, '127.0.0.1', resolve);
    });
    vehicle.timers.push(setInterval(() => vehicle.drive(), 50));
    vehicle.timers.push(setInterval(() => vehicle.broadcast(), STATUS_EVERY_MS));
    const address = vehicle.server.address();
    return { vehicle, port: typeof address === 'object' && address ? address.port : 0 };
  }

  async stop(): Promise<void> {
    for (const t of this.timers) clearInterval(t);
    for (const c of this.clients) c.destroy();
    await new Promise<void>((resolve) => this.server.close(() => resolve()));
  }

  /** Lets the drive go on by the time that has passed. */
  private drive(): void {
    const now = performance.now();
    let left = ((now - this.last) / 1000) * (this.options.speed ?? 1);
    this.last = now;
    const { capacityAh } = this.pack.sim;
    while (left > 0) {
      if (this.legs.length === 0) {
        const rest = { durationS: 60, currentA: 0 };
        // Near the end it stands and charges a while, then drives again.
        this.legs =
          this.pack.socFraction < 0.15
            ? [rest, { durationS: 3600, currentA: -capacityAh * 0.6 }]
            : [rest, ...driveLegs(this.random, capacityAh * 0.6, capacityAh * 0.05, 1)];
      }
      const leg = this.legs[0]!;
      const step = Math.min(left, leg.durationS, 1);
      this.pack.step(step, leg.currentA);
      leg.durationS -= step;
      left -= step;
      if (leg.durationS <= 1e-9) this.legs.shift();
    }
  }

  private packV(): number {
    return this.pack.sim.channels.reduce((s, _, c) => s + this.pack.trueV(c), 0);
  }
  /** The bus as its own clock has it: dead, filled through the resistor, on the pack, emptied through its bleeder. */
  private busV(): number {
    const { ohm, farad, mainAfterS } = this.options.preCharge ?? PRE_CHARGE;
    const since = (performance.now() - this.bornMs) / 1000 - READY_AFTER_S;
    if (since < 0) return 0;
    if (since < mainAfterS) return this.packV() * (1 - Math.exp(-since / (ohm * farad)));
    const off = since - (OFF_AFTER_S - READY_AFTER_S);
    return off < 0 ? this.packV() : this.packV() * Math.exp(-off / (BLEEDER_OHM * farad));
  }

  private frame(id: number, data: Uint8Array, except?: Socket): void {
    const frame: BusFrame = { id, extended: id > 0x7ff, data, timeS: this.startedS + this.pack.timeS };
    const text = printFrameMessage(frame);
    for (const c of this.clients) if (c !== except) c.write(text);
  }

  private broadcast(): void {
    if (this.clients.size === 0) return;
    const volts = this.packV();
    const bytes = new DataView(new ArrayBuffer(8));
    bytes.setUint16(0, Math.round(volts * 10));
    bytes.setInt16(2, Math.round(this.pack.currentA * 10));
    bytes.setUint8(4, Math.round(this.pack.socFraction * 200));
    this.frame(STATUS, new Uint8Array(bytes.buffer));
  }

  private serve(socket: Socket): void {
    let open = false;
    socket.setNoDelay(true);
    socket.setEncoding('latin1');
    const reader = new BracketReader((message) => {
      const [word, ...rest] = message.split(/\s+/);
      if (word === 'open') {
        open = rest[0] === (this.options.bus ?? 'can0');
        socket.write(open ? '< ok >' : '< error could not open bus >');
      } else if (word === 'rawmode' && open) {
        this.clients.add(socket);
        socket.write('< ok >');
      } else if (word === 'echo') socket.write('< echo >');
      else if (word === 'send' && this.clients.has(socket)) this.sent(socket, rest);
      else socket.write('< error unknown command >');
    });
    socket.on('data', (text) => {
      try {
        reader.push(String(text));
      } catch {
        socket.destroy();
      }
    });
    socket.on('error', () => undefined);
    socket.on('close', () => this.clients.delete(socket));
    socket.write('< hi >');
  }

  private sent(from: Socket, [idText, countText, ...bytes]: string[]): void {
    const id = parseInt(idText ?? '', 16);
    const count = Number(countText);
    const data = Uint8Array.from(bytes, (b) => parseInt(b, 16));
    if (Number.isNaN(id) || data.length !== count || count > 8) return void from.write('< error bad frame >');
    // A bus carries every frame to everybody else.
    this.frame(id, data, from);
    if (id === REQUEST) this.request(data);
  }

  private request(data: Uint8Array): void {
    const kind = data[0]! >> 4;
    if (kind === 3) return this.release();
    if (kind !== 0) return;
    this.drive();
    const request = data.subarray(1, 1 + (data[0]! & 0x0f));
    const frames = isoTpFrames(this.answer(request));
    this.held = frames.slice(1);
    this.frame(RESPONSE, frames[0]!);
  }

  private release(): void {
    for (const f of this.held.splice(0)) this.frame(RESPONSE, f);
  }

  private answer(request: Uint8Array): Uint8Array {
    const [service, a, b] = request;
    if (service === 0x22 && request.length === 3) {
      const record = this.record((a! << 8) | b!);
      return record ? Uint8Array.from([0x62, a!, b!, ...record]) : Uint8Array.from([0x7f, 0x22, 0x31]);
    }
    if (service === 0x19 && a === 0x02 && request.length === 3) {
      const codes = (this.options.codes ?? []).filter((c) => c.status & b!);
      const bytes = codes.flatMap(({ code, status }) => {
        const parsed = parseCode(code);
        return [...parsed, ...(parsed.length === 2 ? [0] : []), status];
      });
      return Uint8Array.from([0x59, 0x02, 0xff, ...bytes]);
    }
    return Uint8Array.from([0x7f, service ?? 0, 0x11]);
  }

  private record(identifier: number): number[] | null {
    const { pack } = this;
    if (identifier === CELLS) {
      return pack.sim.channels.flatMap((_, c) => {
        const mv = Math.max(0, Math.round(pack.readV(c) * 1000));
        return [mv >> 8, mv & 0xff];
      });
    }
    if (identifier === BUS) {
      const v = [this.busV(), this.packV()].map((x) => Math.round(x * 10));
      return v.flatMap((x) => [x >> 8, x & 0xff]);
    }
    if (identifier !== PACK) return null;
    const bytes = new DataView(new ArrayBuffer(6));
    bytes.setInt16(0, Math.round(pack.currentA * 10));
    bytes.setUint16(2, Math.round(Math.max(0, pack.socFraction) * 10000));
    bytes.setUint8(4, 40 + 23);
    bytes.setUint8(5, 40 + 24);
    return [...new Uint8Array(bytes.buffer)];
  }
}
