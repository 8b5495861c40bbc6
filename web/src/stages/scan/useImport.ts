import type { ScanSummary } from '@cellmend/contract/jobs';
import type { SaveHeading, ScanPreview } from '@cellmend/contract/scans';
import { useRef, useState } from 'react';
import { ApiProblem, send, upload } from '../../api/client';
import { Keys } from '../../api/keyFor';
import { usePassing } from '../../api/live';

/** What the page shows while a file is taken in. */
export type ImportState =
  | { phase: 'idle' }
  | { phase: 'looking'; file: string }
  | { phase: 'asking'; file: File; preview: ScanPreview; entry?: string | undefined }
  | { phase: 'direction'; file: File; preview: ScanPreview; what: string; entry?: string | undefined }
  | { phase: 'order'; file: File; preview: ScanPreview; what: string; entry?: string | undefined }
  | { phase: 'reading'; file: string; fraction: number; before: number }
  | { phase: 'refused'; file: string; what: string; where?: string; accepted?: string; code: string };

/** Text needs no more than its beginning to be looked at; a workbook is one whole. */
const HEAD_BYTES = 512 * 1024;
const isWorkbook = (file: File): boolean => /\.(?:xls[xm]|zip)$/i.test(file.name);

export interface Import {
  state: ImportState;
  take: (file: File) => Promise<void>;
  takeDemo: (name: string, role: 'before' | 'after') => Promise<void>;
  /** The mapping is right: remember it and read the file. */
  confirm: (mapping: SaveHeading['mapping']) => Promise<void>;
  /** It was made on the other side of the repair, or its clock is wrong. */
  settleOrder: (as: 'other-side' | 'clock-wrong') => Promise<void>;
  stop: () => void;
}

/** Takes a scan file in: looks at it, asks what is not clear, remembers the answer, and reads it with progress. */
export function useImport(
  job: number,
  role: 'before' | 'after',
  onDone: (scan: ScanSummary) => Promise<void>,
): Import {
  const [state, setState] = useState<ImportState>({ phase: 'idle' });
  const stop = useRef<AbortController | null>(null);
  const key = useRef('');
  const keys = useRef(new Keys());
  usePassing((m) => {
    if (m.topic === 'import' && m.key === key.current)
      setState((s) => (s.phase === 'reading' ? { ...s, fraction: m.fraction, before: m.before ?? 0 } : s));
  });

  const guarded = async (
    file: string,
    work: (signal: AbortSignal) => Promise<void>,
    onProblem?: (e: ApiProblem) => boolean,
  ): Promise<void> => {
    const control = new AbortController();
    stop.current = control;
    try {
      await work(control.signal);
    } catch (e) {
      if (control.signal.aborted) return setState({ phase: 'idle' });
      if (e instanceof ApiProblem && onProblem?.(e)) return;
      setState(
        e instanceof ApiProblem
          ? {
              phase: 'refused',
              file,
              what: e.message,
              code: e.problem.type.replace('urn:cellmend:', ''),
              ...(e.problem.where ? { where: e.problem.where } : {}),
              ...(e.problem.accepted ? { accepted: e.problem.accepted } : {}),
            }
          : {
              phase: 'refused',
              file,
              what: 'The server is away. Whether the file was taken is not certain.',
              accepted: 'The same file again: it is taken once.',
              code: 'away',
            },
      );
    }
  };

  const shownName = (file: File, entry?: string): string =>
    (entry ? `${file.name}, ${entry.split('/').pop()!}` : file.name).slice(-120);

  const read = (
    file: File,
    preview: ScanPreview,
    entry?: string,
    { as = role, clockWrong = false }: { as?: 'before' | 'after'; clockWrong?: boolean } = {},
  ): Promise<void> =>
    guarded(
      shownName(file, entry),
      async (signal) => {
        key.current = keys.current.of([
          file.name,
          entry,
          file.size,
          file.lastModified,
          as,
          clockWrong,
          preview.mapping,
        ]);
        setState({ phase: 'reading', file: shownName(file, entry), fraction: 0, before: 0 });
        const query = new URLSearchParams({
          name: shownName(file, entry),
          role: as,
          ...(clockWrong ? { clock: 'wrong' } : {}),
          writtenAt: new Date(file.lastModified).toISOString(),
          ...(entry ? { entry } : {}),
        });
        const scan = await upload<ScanSummary>(
          `/jobs/${job}/scans?${query}`,
          file,
          signal,
          key.current,
        ).catch((e: unknown) => {
          keys.current.failed(e);
          throw e;
        });
        keys.current.answered();
        await onDone(scan);
        setState({ phase: 'idle' });
      },
      (e) => {
        // A remembered heading with dates that could be read both ways: its columns are asked about again.
        if (e.problem.type === 'urn:cellmend:date-order') {
          setState({ phase: 'asking', file, preview, entry });
          return true;
        }
        if (e.problem.type === 'urn:cellmend:record-order') {
          setState({ phase: 'order', file, preview, what: e.message, entry });
          return true;
        }
        if (e.problem.type !== 'urn:cellmend:current-direction') return false;
        setState({ phase: 'direction', file, preview, what: e.message, entry });
        return true;
      },
    );

  return {
    state,
    stop: () => {
      stop.current?.abort();
      setState({ phase: 'idle' });
    },
    take: (file) =>
      guarded(file.name, async (signal) => {
        const look = (entry?: string): Promise<ScanPreview> =>
          upload<ScanPreview>(
            `/jobs/${job}/scans/preview?${new URLSearchParams({ name: file.name.slice(0, 120), ...(entry ? { entry } : {}) })}`,
            isWorkbook(file) ? file : file.slice(0, HEAD_BYTES),
            signal,
          );
        setState({ phase: 'looking', file: file.name });
        const preview = await look();
        // Of an archive every table is a record of its own; one that has to be asked about ends the row.
        for (const entry of preview.entries.length > 1 ? preview.entries : [undefined]) {
          const seen = entry === undefined ? preview : await look(entry);
          if (!seen.clear) return setState({ phase: 'asking', file, preview: seen, entry });
          await read(file, seen, entry);
        }
      }),
    takeDemo: (name, as) =>
      guarded(name, async () => {
        setState({ phase: 'reading', file: name, fraction: 0, before: 0 });
        await onDone(await send('POST', `/jobs/${job}/scans/demo`, { name, role: as }));
        setState({ phase: 'idle' });
      }),
    settleOrder: async (as) => {
      if (state.phase !== 'order') return;
      const { file, preview, entry } = state;
      await read(
        file,
        preview,
        entry,
        as === 'clock-wrong' ? { clockWrong: true } : { as: role === 'before' ? 'after' : 'before' },
      );
    },
    confirm: async (mapping) => {
      if (state.phase !== 'asking' && state.phase !== 'direction') return;
      const { file, preview, entry } = state;
      await guarded(file.name, async () => {
        await send('POST', '/headings', { names: preview.names, mapping });
        await read(file, { ...preview, mapping }, entry);
      });
    },
  };
}
