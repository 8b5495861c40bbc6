import { expect, it } from 'vitest';
import { atWork } from './importWorker';

const busy = (ms: number): void => {
  for (const until = performance.now() + ms; performance.now() < until;);
};

it('work that waits for what never comes is refused; work that is busy, however long, is not', async () => {
  await expect(atWork(new Promise(() => undefined), 2000)).rejects.toMatchObject({
    what: 'The file cannot be read to its end: it is damaged.',
  });
  const long = async (): Promise<string> => {
    for (let k = 0; k < 50; k++) {
      busy(60);
      await new Promise((r) => setTimeout(r, 20));
    }
    return 'read';
  };
  expect(await atWork(long(), 2000)).toBe('read');
  await expect(atWork(Promise.reject(new Error('its own')), 2000)).rejects.toThrow('its own');
});
