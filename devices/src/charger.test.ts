import { planOf, recipesFor, type ControlState, type PlanStep } from '@cellmend/core/bench';
import { InputProblem } from '@cellmend/core/pack';
import { spawn, spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, describe, expect, it } from 'vitest';
import { openScpiMeter, openScpiSource } from './charger';
import { SimulatedCharger, type ChargerFacts, type ChargerFaults } from './simulatedCharger';
import { levelStick, nimhStick, SimulatedModule, type ModuleFacts } from './simulatedModule';
import { superviseRun, type SuperviseEnd, type SuperviseOptions } from './supervise';

const chargers: SimulatedCharger[] = [];
afterEach(() => {
  for (const c of chargers.splice(0)) c.stop();
});
const ferry = JSON.parse(
  readFileSync(join(import.meta.dirname, '../../demo/packs/ferry-shuttle.json'), 'utf8'),
) as Parameters<typeof recipesFor>[0];

async function charger(
  module: ModuleFacts,
  faults: ChargerFaults = {},
  facts: Partial<ChargerFacts> = {},
): Promise<{ charger: SimulatedCharger; port: number }> {
  const started = await SimulatedCharger.start(
    { role: 'charger', mostV: 60, mostA: 30, speed: 1, ...facts },
    module,
    faults,
  );
  chargers.push(started.charger);
  return started;
}
/** Not waited for in one piece: the instrument answers from this very process. */
const python = (script: string): Promise<string> =>
  new Promise((resolve) => {
    const child = spawn('/usr/bin/python3', ['-c', script]);
    let text = '';
    child.stdout.on('data', (d) => (text += String(d)));
    child.stderr.on('data', (d) => (text += String(d)));
    child.on('close', () => resolve(text.trim()));
  });

describe('a simulated charger', () => {
  it('is driven by PyVISA, a client that knows nothing of this app: short and long forms, compound commands, the error queue', async () => {
    const { port } = await charger(levelStick(6, 3));
    const said = await python(`
import pyvisa
s = pyvisa.ResourceManager('@py').open_resource('TCPIP::127.0.0.1::${port}::SOCKET', read_termination='\\n', write_termination='\\n')
print(s.query('*IDN?'))
s.write('source:voltage:level 9;current 2.5')
print(s.query(':SOUR:VOLT?;:SOURce:CURRent:LEVel?'))
s.write('outp:stat on'); print(s.query('OUTPut?'))
print(len(s.query('MEAS:SCAL:VOLT?;CURR?;TEMP?').split(';')))
s.write('OUTP OFF'); print(s.query('OUTPut:STATe?'))
s.write('VOLT 1e9'); s.write('NOSUCH:THING 3'); s.write('CURR none')
print([s.query('SYST:ERR?') for _ in range(4)])
print(s.query('*ESR?'), s.query('*OPC?'), s.query('SYSTem:VERSion?'))
`);
    expect(said.split('\n')).toEqual([
      'Bold Cellmend,simulated charger,0,1',
      '9.0000;2.5000',
      '1',
      '3',
      '0',
      `['-222,"Data out of range"', '-113,"Undefined header"', '-120,"Numeric data error"', '0,"No error"']`,
      '176 1 1999.0',
    ]);
  });

  it('a supply takes nothing out, a load puts nothing in, a meter does neither', async () => {
    const [supply, load, meter] = await Promise.all(
      (['supply', 'load', 'meter'] as const).map(
        async (role) => (await charger(levelStick(6, 3), {}, { role })).port,
      ),
    );
    const s = await openScpiSource('127.0.0.1', supply!);
    await expect(s.set({ mode: 'discharge', currentA: 2, limitV: 6 })).rejects.toThrow(/out of range/);
    await s.set({ mode: 'charge', currentA: 2, limitV: 9 });
    const l = await openScpiSource('127.0.0.1', load!);
    await expect(l.set({ mode: 'charge', currentA: 2, limitV: 9 })).rejects.toThrow(/out of range/);
    const m = await openScpiMeter('127.0.0.1', meter!);
    await m.outputOn();
    expect((await m.read()).voltageV).toBeGreaterThan(7);
    expect(() => m.set({ mode: 'charge', currentA: 2, limitV: 9 })).toThrow(InputProblem);
    for (const x of [s, l, m]) x.close();
  });
});

describe('a simulated module', () => {
  it('warms and sags as scipy integrates it from its differential equations', () => {
    const facts = nimhStick(
      Array.from({ length: 6 }, () => [6, 3]),
      { chemistry: 'nmc', ratedAh: 6 },
    );
    const m = new SimulatedModule(facts);
    const rest = m.voltageV(0);
    const ours: [number, number][] = [];
    for (let t = 0; t < 1800; t += 300) {
      m.advance(300, 6);
      ours.push([m.temperatureC, m.state().slowV]);
    }
    // dT/dt = (I²R + I·v − h(T − Ta))/C, dv/dt = (I·Rs − v)/τ
    const script = `
import json
from scipy.integrate import solve_ivp
I, R, Rs, tau, C, h, Ta = 6, 6*0.003, 6*0.002, 30, 1000, 0.5, 22
f = lambda t, y: [(I*I*R + I*y[1] - h*(y[0]-Ta))/C, (I*Rs - y[1])/tau]
s = solve_ivp(f, (0, 1800), [22, 0], t_eval=range(300, 1801, 300), rtol=1e-10, atol=1e-12)
print(json.dumps(s.y.T.tolist()))`;
    const theirs = JSON.parse(spawnSync('/usr/bin/python3', ['-c', script], { encoding: 'utf8' }).stdout) as [
      number,
      number,
    ][];
    ours.forEach(([c, v], i) => {
      expect(c).toBeCloseTo(theirs[i]![0], 1);
      expect(v).toBeCloseTo(theirs[i]![1], 6);
    });
    expect(m.voltageV(6)).toBeLessThan(rest - 6 * 6 * 0.003);
  });

  it('drives a cell that ran empty backwards, and tells of it in its voltage', () => {
    const m = new SimulatedModule(
      nimhStick([[6, 2], ...Array.from({ length: 5 }, (): [number, number] => [6, 4])]),
    );
    m.advance(3600, 2.2);
    const [first] = m.state().cells;
    expect(first!.ah).toBeLessThan(0);
    expect(m.voltageV(0)).toBeLessThan(5 * 1.3 - 0.2);
  });

  it('smokes at a current that no module bears', () => {
    const m = new SimulatedModule(levelStick(6, 3));
    m.advance(5, 60);
    expect(m.smoked).toBe(false);
    m.advance(5, 90);
    expect(m.smoked).toBe(true);
  });
});

const SPEED = 1200;
interface Ran extends SuperviseEnd {
  rows: { t: number; v: number; a: number; step: number }[];
  steps: string[];
  ends: string[];
  on: boolean;
}
/** Runs a plan on a simulated charger, an hour in three seconds. */
async function run(
  module: ModuleFacts,
  plan: readonly PlanStep[],
  faults: ChargerFaults = {},
  more: Partial<SuperviseOptions> = {},
  facts: Partial<ChargerFacts> = {},
): Promise<Ran> {
  const { charger: c, port } = await charger(module, faults, { speed: SPEED, ...facts });
  const open = () => openScpiSource('127.0.0.1', port);
  const rows: Ran['rows'] = [];
  const ends: string[] = [];
  const end = await superviseRun(await open(), open, {
    plan,
    timeScale: SPEED,
    everyMs: 12,
    onReading: (r, d) => {
      rows.push({ t: d.state.timeS, v: r.voltageV, a: r.currentA, step: d.state.step });
      if (d.says) ends.push(d.says);
      return Promise.resolve();
    },
    ...more,
  });
  return { ...end, rows, ends, steps: plan.map((s) => s.name), on: c.outputIsOn };
}
const recipe = (id: string) => recipesFor(ferry).find((r) => r.id === id)!;
const plan = (id: string): PlanStep[] => planOf(recipe(id), { ...ferry, ratedCapacityAh: 6.5 }, 6);

describe('a run of a recipe', () => {
  it('charges until full by −ΔV or warming, rests with the output off, discharges to the cut-off: what was taken out is what was in it', async () => {
    const end = await run(levelStick(6, 1), plan('capacity'));
    expect(end).toMatchObject({ done: true, why: '', output: 'off', on: false });
    expect(end.ends[0]).toMatch(/fell by|warms by|h are over/);
    expect(end.ends.at(-1)).toMatch(/the cut-off is 5\.40 V/);
    // Charged to between 0.95 and 1, and emptied to where six cells of 0.9 V are.
    expect(end.state.outAh).toBeGreaterThan(5.4);
    expect(end.state.outAh).toBeLessThan(6.15);
    const rest = end.rows.filter((r) => r.step === 1).slice(3);
    expect(rest.length).toBeGreaterThan(3);
    expect(rest.every((r) => r.a === 0)).toBe(true);
  }, 40_000);

  it('goes on from where it was interrupted: charge and time are counted once', async () => {
    const only = plan('capacity').slice(2);
    const module = levelStick(6, 6);
    const whole = await run(module, only);
    const { charger: c, port } = await charger(module, {}, { speed: SPEED });
    const open = () => openScpiSource('127.0.0.1', port);
    let state: ControlState | undefined;
    for (let stretch = 0; stretch < 4; stretch++) {
      const stop = new AbortController();
      if (stretch < 3) setTimeout(() => stop.abort('struck'), 350);
      const end = await superviseRun(await open(), open, {
        plan: only,
        timeScale: SPEED,
        everyMs: 12,
        signal: stop.signal,
        ...(state ? { from: state } : {}),
        onReading: () => Promise.resolve(),
      });
      expect(c.outputIsOn).toBe(false);
      state = end.state;
      if (end.done) break;
    }
    expect(Math.abs(state!.outAh - whole.state.outAh)).toBeLessThan(0.3);
  }, 40_000);

  it.each<[string, ChargerFaults, RegExp, 'off' | 'unknown']>([
    ['silent', { silentAfter: 20 }, /fell silent/, 'unknown'],
    ['nonsense', { nonsense: true }, /something else than volts/, 'unknown'],
    ['gives half of what was set', { gives: 0.5 }, /where 6\.5 A were set|where 5\.5 A were set/, 'off'],
    ['gives more than was set', { gives: 1.4 }, /the limit is/, 'off'],
    ['a lead that came off', { open: true }, /a lead is off|below the/, 'off'],
  ])(
    'takes the output off when the instrument is wrong: %s',
    async (_what, faults, why, output) => {
      const end = await run(levelStick(6, 3), plan('capacity'), faults);
      expect(end.why).toMatch(why);
      expect(end).toMatchObject({ done: false, output });
      if (output === 'off') expect(end.on).toBe(false);
    },
    20_000,
  );

  it('takes it off when the record cannot be written, when it is stopped, and never switches on without a watchdog', async () => {
    expect(
      await run(
        levelStick(6, 3),
        plan('capacity'),
        {},
        { onReading: () => Promise.reject(new Error('gone')) },
      ),
    ).toMatchObject({ why: 'the reading could not be kept', output: 'off', on: false });
    const stop = new AbortController();
    setTimeout(() => stop.abort('Stop was pressed'), 200);
    expect(await run(levelStick(6, 3), plan('capacity'), {}, { signal: stop.signal })).toMatchObject({
      why: 'Stop was pressed',
      on: false,
    });
    await expect(run(levelStick(6, 3), plan('capacity'), { noWatchdog: true })).rejects.toThrow(/left alone/);
    expect(chargers.at(-1)!.outputIsOn).toBe(false);
  }, 20_000);

  it('a Stop at any moment of the beginning leaves the output off for good, and is told as off', async () => {
    const { charger: c, port } = await charger(levelStick(6, 3), {}, { speed: 1 });
    const open = () => openScpiSource('127.0.0.1', port);
    /** Stops just as one of its commands has been sent, and looks whether the output ever came on afterwards. */
    for (const at of ['watchdog', 'read', 'set', 'outputOn'] as const) {
      const stop = new AbortController();
      const source = await open();
      const real = source[at].bind(source) as (...args: unknown[]) => Promise<unknown>;
      source[at] = ((...args: unknown[]) => {
        const answer = real(...args);
        stop.abort('Stop was pressed');
        return answer;
      }) as never;
      const end = await superviseRun(source, open, {
        plan: plan('capacity'),
        signal: stop.signal,
        everyMs: 10,
        onReading: () => Promise.resolve(),
      });
      expect(end, at).toMatchObject({ why: 'Stop was pressed', output: 'off' });
      for (let i = 0; i < 10; i++) {
        expect(c.outputIsOn, at).toBe(false);
        await new Promise((r) => setTimeout(r, 10));
      }
    }
  });

  it('what may not begin never sees a current', async () => {
    await expect(
      run(
        levelStick(6, 3),
        plan('capacity'),
        {},
        {
          mayBegin: () => {
            throw new InputProblem('leads', 'wrong way round', '', '');
          },
        },
      ),
    ).rejects.toThrow(/wrong way round/);
    expect(chargers.at(-1)!.outputIsOn).toBe(false);
  });

  it('an instrument whose line is cut switches itself off', async () => {
    const { charger: c, port } = await charger(levelStick(6, 3), {}, { speed: 1 });
    const source = await openScpiSource('127.0.0.1', port);
    await source.watchdog(1);
    await source.set({ mode: 'charge', currentA: 1, limitV: 9 });
    await source.outputOn();
    expect(c.outputIsOn).toBe(true);
    source.close();
    await expect.poll(() => c.outputIsOn, { timeout: 3000 }).toBe(false);
  });
});
