import { describe, expect, it } from 'vitest';
import { ngspice } from '../../../e2e/src/ngspice';
import { Random } from '../simpack/random';
import { judgePreCharge, readBusTrace, thinTrace, type BusTrace } from '.';

const packV = 360;
const facts = { packV, resistorOhm: 40, capacitanceF: 1.1e-3 };

/**
 * The bus of a vehicle that is switched ready, by ngspice: pre-charge closes at 0.2 s, the main so long after, all opens at 1 s and a
 * bleeder empties it.
 */
function circuit(
  mainAfterS: number,
  { ohm = 40, loadOhm = 1e9, everyS = 0.01, noiseV = 0.3, seed = 3, untilS = 0.9 } = {},
): BusTrace {
  const main = 0.2 + mainAfterS;
  const times = Array.from({ length: Math.floor(untilS / everyS) }, (_, i) => (i + 1) * everyS);
  const found = ngspice(
    `V1 s 0 ${packV}
R1 s a r='time<0.2 ? 1e9 : (time<${main} ? ${ohm} : (time<1 ? 0.02 : 1e9))'
C1 a 0 1.1m ic=0
R2 a 0 r='time<1 ? ${loadOhm} : 500'`,
    `tran 0.2m ${untilS + 0.01} 0 0.2m uic\n${times.map((t, i) => `meas tran v${i} find v(a) at=${t.toFixed(4)}`).join('\n')}`,
  );
  const random = new Random(seed);
  return { timeS: times, busV: times.map((_, i) => found.get(`v${i}`)! + noiseV * random.normal()) };
}

describe('pre-charge read off the bus, against ngspice', () => {
  it.each([0.1, 0.12, 0.2])(
    'the main closed %f s after it began: what the bus had then, and how fast it rose',
    (after) => {
      const seen = judgePreCharge(circuit(after), facts);
      const truth = 1 - Math.exp(-after / 0.044);
      expect(seen.closedAt!.low).toBeLessThanOrEqual(truth + 0.005);
      expect(seen.closedAt!.high).toBeGreaterThanOrEqual(truth - 0.005);
      expect(seen.closedAt!.high - seen.closedAt!.low).toBeLessThan(0.05);
      expect(seen.tauS!.value / 0.044).toBeGreaterThan(0.95);
      expect(seen.tauS!.value / 0.044).toBeLessThan(1.05);
      expect(seen.state).toBe(after > 0.19 ? 'pass' : 'hold');
    },
  );
  it('closed on two thirds of the pack it fails: its contacts burn', () => {
    const seen = judgePreCharge(circuit(0.05), facts);
    expect(seen.state).toBe('fail');
    expect(seen.says.join(' ')).toMatch(/The main closed on 6\d % of the pack/);
  });
  it('a resistor twice as large shows in the rise', () => {
    const seen = judgePreCharge(circuit(0.5, { ohm: 80 }), facts);
    expect(seen.tauS!.value / 0.088).toBeCloseTo(1, 1);
    expect(seen.state).toBe('hold');
    expect(seen.says.join(' ')).toMatch(/the resistor has aged/);
  });
  it('a load beside it: the end below the pack, and how much it draws', () => {
    const seen = judgePreCharge(circuit(9, { loadOhm: 160 }), facts);
    expect(seen.state).toBe('fail');
    expect(seen.says.join(' ')).toMatch(/comes to 80 % and no further.*about 16\d Ω/);
  });
  it('no rise at all: the main that closed first', () => {
    const seen = judgePreCharge(circuit(0.9, { ohm: 2, everyS: 0.0005, untilS: 0.4 }), facts);
    expect(seen.state).toBe('fail');
    expect(seen.says.join(' ')).toMatch(/goes round the resistor/);
  });
  it('a main that closes first leaves no rise to follow: told as such, not as a log that is too slow', () => {
    const seen = judgePreCharge(circuit(0, { everyS: 0.01 }), facts);
    expect(seen.tauS).toBeNull();
    expect(seen.state).toBe('fail');
    expect(seen.says.join(' ')).toMatch(/jumps from \d % to the pack within 10 ms.*goes round the resistor/);
  });
  it('a bus that stays a little below the pack says that no main closed, or that meters differ; it never passes', () => {
    const seen = judgePreCharge(circuit(9, { loadOhm: 1500, noiseV: 0 }), facts);
    expect(seen.state).toBe('hold');
    expect(seen.says.join(' ')).toMatch(/comes to 97 % of the pack and stays/);
  });
  it('switched off again it empties: the time to 60 V as the circuit has it', () => {
    const seen = judgePreCharge(circuit(0.2, { untilS: 2.6, everyS: 0.02 }), facts);
    expect(seen.to60S! / (500 * 1.1e-3 * Math.log(360 / 60))).toBeCloseTo(1, 1);
    // One bus that empties proves one contactor, not both.
    expect(seen.says.join(' ')).toMatch(/That each contactor opened, one bus does not tell/);
  });
  it('a log that is too slow says so, and passes nothing', () => {
    const seen = judgePreCharge(circuit(0.1, { everyS: 0.15 }), facts);
    expect(seen.state).toBe('hold');
    expect(seen.says.join(' ')).toMatch(/Log the bus faster/);
    expect(seen.tauS).toBeNull();
  });
});

describe('a trace that is none', () => {
  const flat = (v: number): BusTrace => ({ timeS: [0, 1, 2, 3, 4], busV: [v, v, v, v, v] });
  it.each<[BusTrace, RegExp, string]>([
    [flat(2), /never began/, 'fail'],
    [flat(358), /before anything closed/, 'fail'],
    [{ timeS: [0, 1, 2, 3], busV: [0, 100, 200, 390] }, /one of the two is no reading/, 'hold'],
    [{ timeS: [0, 1, 2, 3], busV: [80, 200, 300, 340] }, /in the middle of pre-charge/, 'hold'],
    [{ timeS: [0, 1, 2, 3, 4], busV: [0, 100, 200, 280, 330] }, /log on until both have clicked/, 'hold'],
  ])('%o is told', (trace, says, state) => {
    const seen = judgePreCharge(trace, facts);
    expect(seen.state).toBe(state);
    expect(seen.says.join(' ')).toMatch(says);
  });
  it('the pack is what the bus comes to only where nobody told it, and that is said', () => {
    const trace = circuit(0.2);
    expect(judgePreCharge(trace, { ...facts, packV: null }).says[0]).toMatch(/was not told/);
    expect(
      judgePreCharge({ ...trace, packV: trace.timeS.map(() => 360) }, { ...facts, packV: null }).says[0],
    ).not.toMatch(/was not told/);
  });
});

describe('reading a trace', () => {
  it.each([
    ['0 0\n0.1 200\n0.2 350', undefined],
    ['0;0\n0,1;200\n0,2;350', undefined],
    ['Time ms,Bus V,Pack V\n0,0,360\n100,200,360\n200,350,360', [360, 360, 360]],
    ['Pack V\tt\tLink V\n360\t0\t0\n360\t0.1\t200\n360\t0.2\t350', [360, 360, 360]],
  ])('%j', (text, pack) => {
    expect(readBusTrace(text)).toEqual({
      timeS: [0, 0.1, 0.2],
      busV: [0, 200, 350],
      ...(pack ? { packV: pack } : {}),
    });
  });
  it('takes the last of several readings of one time, and a file of a scope with very many', () => {
    expect(readBusTrace('0 0\n0.1 100\n0.1 120\n0.2 350')).toEqual({
      timeS: [0, 0.1, 0.2],
      busV: [0, 120, 350],
    });
    const n = 200_000;
    const busV = Array.from({ length: n }, (_, i) => (i < 1e5 ? 0 : 360 * (1 - Math.exp(-(i - 1e5) / 4400))));
    const long = { timeS: busV.map((_, i) => i * 1e-5), busV };
    const thin = thinTrace(long, 3000);
    expect(thin.timeS.length).toBeLessThanOrEqual(3000);
    // What is left out changes nothing of what it says.
    const [all, some] = [judgePreCharge(long, facts), judgePreCharge(thin, facts)];
    expect(some.state).toBe(all.state);
    expect(some.tauS!.value / 0.044).toBeCloseTo(1, 1);
    expect(some.tauS!.value / all.tauS!.value).toBeCloseTo(1, 1);
  });
  it('says which line is none', () => {
    expect(() => readBusTrace('0 0\n0.1 off')).toThrow(/Line 2, “0.1 off”/);
    expect(() => judgePreCharge(readBusTrace('0 0\n1 5'), facts)).toThrow(/2 readings/);
    expect(() => judgePreCharge(readBusTrace('0 0\n2 5\n1 4\n3 3'), facts)).toThrow(/do not rise/);
  });
});
