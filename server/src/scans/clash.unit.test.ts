import { describe, expect, it } from 'vitest';
import { clashWords } from './clash';

const at = (clock: string): Date => new Date(`2026-03-02T${clock}:00`);
const span = (from: string, to: string) => ({ beganMs: at(from).getTime(), endedMs: at(to).getTime() });

describe('whether a record can be of before or after the repair', () => {
  const moved = [
    { place: 'M07', way: 'out' as const, at: at('11:00') },
    { place: 'M07', way: 'in' as const, at: at('14:00') },
    { place: 'M12', way: 'in' as const, at: at('16:00') },
  ];
  it('takes either while nothing was moved', () => {
    expect(clashWords('before', span('09:00', '09:10'), [])).toBeNull();
    expect(clashWords('after', span('09:00', '09:10'), [])).toBeNull();
  });
  it('is not of before once a part was out', () => {
    expect(clashWords('before', span('10:00', '10:40'), moved)).toBeNull();
    expect(clashWords('before', span('11:20', '11:40'), moved)).toMatch(/M07 came out on 2 March.* 11:00/);
  });
  it('is not of after before the first part went in; between two parts it is', () => {
    expect(clashWords('after', span('12:00', '13:30'), moved)).toMatch(
      /M07 went in .*14:00: it shows nothing/,
    );
    expect(clashWords('after', span('15:00', '15:30'), moved)).toBeNull();
  });
});
