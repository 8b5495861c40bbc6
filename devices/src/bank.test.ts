import { spawn } from 'node:child_process';
import { afterEach, expect, it } from 'vitest';
import { openScpiRelay } from './bank';
import { SimulatedBank } from './simulatedBank';
import { levelStick } from './simulatedModule';

const banks: SimulatedBank[] = [];
afterEach(() => {
  for (const b of banks.splice(0)) b.stop();
});
const start = async (facts: Partial<Parameters<typeof SimulatedBank.start>[1]> = {}) => {
  const made = await SimulatedBank.start(levelStick(5, 4), { ohm: 2, speed: 1, ...facts });
  banks.push(made.bank);
  return made;
};
const python = (script: string): Promise<string> =>
  new Promise((resolve) => {
    const child = spawn('/usr/bin/python3', ['-c', script]);
    let text = '';
    child.stdout.on('data', (d) => (text += String(d)));
    child.stderr.on('data', (d) => (text += String(d)));
    child.on('close', () => resolve(text.trim()));
  });

// SCPI-1999, volume 2, ROUTe subsystem: channel lists, CLOSe and its query, OPEN. Read by PyVISA, which knows nothing of this app.
it('relay, logger and thermometer are driven by PyVISA: channel lists, long and short forms, Ohm’s law at the terminals', async () => {
  const { relay, logger, thermometer } = await start();
  const said = await python(`
import pyvisa
rm = pyvisa.ResourceManager('@py')
def dev(p):
    d = rm.open_resource(f'TCPIP::127.0.0.1::{p}::SOCKET', read_termination='\\n', write_termination='\\n')
    d.timeout = 4000
    return d
r, l, t = dev(${relay}), dev(${logger}), dev(${thermometer})
print(r.query('*IDN?').split(',')[1], r.query('ROUT:CLOS? (@1)'))
r.write('ROUTe:CLOSe (@1)')
print(r.query('ROUTE:CLOSE? (@1)'))
v, i = [float(x) for x in l.query('MEAS:VOLT?;CURR?').split(';')]
print(abs(v / -i - 2) < 0.02)
r.write('ROUT:CLOS (@7)')
print(r.query('SYST:ERR?'))
r.write('ROUT:OPEN (@1)')
print(r.query('ROUT:CLOS? (@1)'), float(l.query('MEAS:CURR?')) == 0.0)
print(round(float(t.query('MEASURE:SCALAR:TEMPERATURE?'))))
`);
  expect(said.split('\n')).toEqual([
    'simulated relay 0',
    '1',
    'True',
    '-222,"Data out of range"',
    '0 True',
    '22',
  ]);
}, 60_000);

it('a relay that is told nothing any more opens by itself', async () => {
  const { bank, relay } = await start();
  const own = await openScpiRelay('127.0.0.1', relay);
  expect(await own.watchdog(1)).toBe(true);
  await own.outputOn();
  expect(bank.isClosed).toBe(true);
  await expect.poll(() => bank.isClosed, { timeout: 4000 }).toBe(false);
  own.close();
});
