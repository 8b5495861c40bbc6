import { TargetSchema, type LiveState } from '@cellmend/contract/scans';
import { existsSync, mkdirSync, readFileSync, rmSync, closeSync, openSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { z } from 'zod';

/** Where readings of vehicles wait until they are stored: with the workshop's data, else with what is temporary. */
const folder = (): string =>
  process.env.CELLMEND_LIVE ?? join(tmpdir(), `cellmend-${process.getuid?.() ?? 0}`, 'live');
const pathOf = (jobId: string): string => join(folder(), `${jobId}.log`);

const HeadSchema = z.object({
  role: z.enum(['before', 'after']),
  message: z.string(),
  startedAt: z.string(),
  /** Where each signal of the definition goes. */
  targets: z.array(z.tuple([z.string(), TargetSchema])),
});
export type LiveHead = z.infer<typeof HeadSchema>;
const ReadingSchema = z.tuple([z.string(), z.number(), z.number()]);
const CodesSchema = z.array(z.object({ code: z.string(), status: z.int() }));
/** What was read of a vehicle, line by line as it came. */
export interface LogLine {
  values?: { name: string; timeS: number; value: number }[];
  codes?: LiveState['codes'];
  refused?: string;
}

/**
 * Everything a vehicle answered, on disk before it is worked with: a server that dies, or a database that is away when the
 * record is to be kept, loses none of it. It goes once the record is stored, or somebody gives it up.
 */
export class LiveLog {
  private readonly file: number;

  constructor(jobId: string, head: LiveHead) {
    mkdirSync(folder(), { recursive: true, mode: 0o700 });
    this.file = openSync(pathOf(jobId), 'wx', 0o600);
    this.write(head);
  }

  private write(line: unknown): void {
    const bytes = Buffer.from(`${JSON.stringify(line)}\n`);
    for (let at = 0; at < bytes.length;) at += writeSync(this.file, bytes, at);
  }

  take({ values, codes, refused }: LogLine): void {
    if (values) this.write({ v: values.map((r) => [r.name, r.timeS, r.value]) });
    if (codes) this.write({ c: codes });
    if (refused !== undefined) this.write({ r: refused });
  }

  close(): void {
    closeSync(this.file);
  }
}

export const hasLog = (jobId: string): boolean => existsSync(pathOf(jobId));
export const removeLog = (jobId: string): void => rmSync(pathOf(jobId), { force: true });

const LineSchema = z.union([
  z.object({ v: z.array(ReadingSchema) }),
  z.object({ c: CodesSchema }),
  z.object({ r: z.string() }),
]);

/**
 * What a log holds; null where there is none or it never came to its first line. A line that was cut off by the end of its
 * process ends it: nothing after it was written.
 */
export function readLog(jobId: string): { head: LiveHead; lines: LogLine[] } | null {
  if (!hasLog(jobId)) return null;
  const [first, ...rest] = readFileSync(pathOf(jobId), 'utf8').split('\n');
  const parsed = (text: string): unknown => {
    try {
      return JSON.parse(text);
    } catch {
      return undefined;
    }
  };
  const head = HeadSchema.safeParse(parsed(first!));
  if (!head.success) return null;
  const lines: LogLine[] = [];
  for (const text of rest) {
    const line = LineSchema.safeParse(parsed(text));
    if (!line.success) break;
    if ('v' in line.data)
      lines.push({ values: line.data.v.map(([name, timeS, value]) => ({ name, timeS, value })) });
    else if ('c' in line.data) lines.push({ codes: line.data.c });
    else lines.push({ refused: line.data.r });
  }
  return { head: head.data, lines };
}
