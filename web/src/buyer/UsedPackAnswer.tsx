import type { UsedPackVerdict } from '@cellmend/core/buyer';
import { money, whole } from '../options/words';
import { Answer, Sheet, Stack } from '../ui/parts';

const TITLES: Record<UsedPackVerdict['verdict'], string> = {
  buy: 'Buy it',
  'at most': 'Buy it only for less',
  'leave it': 'Better leave it',
  'cannot tell yet': 'It cannot be told yet',
};

/** Buy, at most for so much, or leave it, with what it comes to. */
export function UsedPackAnswer({ verdict: v }: { verdict: UsedPackVerdict }) {
  const told = v.verdict === 'buy' || v.verdict === 'at most';
  return (
    <Answer
      tone={v.verdict === 'buy' ? 'good' : v.verdict === 'cannot tell yet' ? 'plain' : 'suspect'}
      title={TITLES[v.verdict]}
      big={told && v.atMost ? money(roundDown(v.atMost.likely)) : undefined}
      small={
        told && v.atMost ? `at most; ${money(roundDown(v.atMost.least))} to be on the safe side` : undefined
      }
    >
      {v.because} {comesToWords(v)} {told && perYearWords(v)}
    </Answer>
  );
}

/** A limit is not rounded up. */
const roundDown = (v: number): number => {
  const step = 10 ** Math.max(0, Math.floor(Math.log10(Math.max(1, v))) - 2);
  return Math.floor(v / step) * step;
};

export function comesToWords({ comesTo: c }: UsedPackVerdict): string {
  if (!c) return '';
  return c.high > c.low
    ? `It comes to ${whole(c.low)} to ${money(c.high)}, by whether the deposit comes back.`
    : `It comes to ${money(c.likely)} in all.`;
}

export function perYearWords({ perYear: p }: UsedPackVerdict): string {
  if (!p) return '';
  return `A year ${whole(p.this.p10)} to ${money(p.this.p90)}, against ${money(p.instead.p50)} for what would be done instead; cheaper in ${Math.round(p.cheaper * 100)} of 100 simulated outcomes.`;
}

/** What alone would make it another verdict. */
export function Changes({ verdict: v }: { verdict: UsedPackVerdict }) {
  if (v.changes.length === 0) return null;
  return (
    <Sheet aria-label="What would change it">
      <Stack $gap={6}>
        <h3>What would change it</h3>
        {v.changes.map((c) => (
          <span key={c.if}>
            {c.if} → <b>{c.then}</b>
          </span>
        ))}
      </Stack>
    </Sheet>
  );
}
