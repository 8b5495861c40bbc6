import type { Finding } from '@cellmend/contract/findings';
import type { Job } from '@cellmend/contract/jobs';
import type { Session } from '@cellmend/contract/people';
import { normalisePack } from '@cellmend/core/pack';
import { prerenderToNodeStream } from 'react-dom/static';
import { MemoryRouter } from 'react-router';
import { text } from 'node:stream/consumers';
import { SWRConfig } from 'swr';
import { JobContext } from '../../web/src/shell/jobContext';
import { HandOverStage } from '../../web/src/stages/hand-over/HandOverStage';
import type { Client } from './harness';

/** A browser's store with nothing in it: what was never typed into a form. */
const NO_DRAFTS = { getItem: () => null, setItem: () => undefined, removeItem: () => undefined };

/** Every key that a page may ask for, as an answer that is filled in as it is asked. */
class Asked {
  readonly answers: Record<string, unknown> = {};
  readonly missing = new Set<string>();
  readonly fallback = new Proxy(this.answers, {
    get: (known, key) => {
      if (typeof key !== 'string') return undefined;
      if (!(key in known)) this.missing.add(key);
      return known[key];
    },
  });
}

const NAMED: Record<string, string> = { amp: '&', lt: '<', gt: '>', quot: '"', '#x27': '’' };
/** Lines as they stand on the paper, one a paragraph, heading or row. */
const linesOf = (html: string): string[] =>
  html
    .replace(/<style[^>]*>.*?<\/style>/gs, '')
    .replace(/<(?:script|svg)[^>]*>.*?<\/(?:script|svg)>/gs, '')
    .replace(/<\/t[dh]>/g, ' | ')
    .replace(/<\/(?:p|h1|h2|h3|tr|li|div|section|header)>|<br\/?>/g, '\n')
    .replace(/<[^>]*>/g, '')
    .replace(/&([a-z]+|#x27);/g, (all, name: string) => NAMED[name] ?? all)
    .split('\n')
    .map((l) =>
      l
        .replace(/\s+/g, ' ')
        .replace(/ \| *$/, '')
        .trim(),
    )
    .filter((l) => l !== '');

/**
 * The sheet of a job as the page writes it, line by line: the page's own components, with the server's own answers.
 * Drawn again until nothing is asked for any more.
 */
export async function sheetOnPage(who: Client, number: number): Promise<string[]> {
  Object.assign(globalThis, { localStorage: NO_DRAFTS });
  const read = async <T,>(path: string): Promise<T> => (await who.get<T>(`/api${path}`)).body;
  const [job, findings, session] = await Promise.all([
    read<Job>(`/jobs/${number}`),
    read<Finding[]>(`/jobs/${number}/findings`),
    read<Session>('/session'),
  ]);
  const asked = new Asked();
  asked.answers['/session'] = session;
  for (let round = 0; ; round++) {
    asked.missing.clear();
    const wrong: unknown[] = [];
    const { prelude } = await prerenderToNodeStream(
      <MemoryRouter>
        <SWRConfig value={{ fallback: asked.fallback, provider: () => new Map() }}>
          <JobContext.Provider
            value={{
              job,
              findings,
              pack: normalisePack(job.pack),
              person: session.person!,
              demo: false,
              selected: null,
              select: () => undefined,
              refresh: () => Promise.resolve(),
            }}
          >
            <HandOverStage question="" stage="hand-over" />
          </JobContext.Provider>
        </SWRConfig>
      </MemoryRouter>,
      { onError: (e) => void wrong.push(e) },
    );
    if (wrong.length > 0) throw wrong[0];
    const html = await text(prelude);
    const open = [...asked.missing].filter((k) => k.startsWith('/'));
    if (open.length === 0 || round > 6) {
      const paper = /<article[^>]*aria-label="Hand-over sheet".*?<\/article>/s.exec(html)?.[0];
      if (!paper) throw new Error(`no sheet on the page of job ${number}: ${linesOf(html).join(' / ')}`);
      return linesOf(paper);
    }
    for (const key of open) asked.answers[key] = await read(key);
  }
}
