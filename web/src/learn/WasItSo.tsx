import type { Claim, LookingBack, NewOutcome } from '@cellmend/contract/learn';
import type { MemoryHere } from '@cellmend/contract/memory';
import { WAS, withVerdicts } from '@cellmend/core/learn';
import type { Stage } from '@cellmend/core/route';
import { verdictName, VERDICTS, type Verdict } from '@cellmend/core/diagnosis';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { take } from '../api/queue';
import { useJobView } from '../shell/jobContext';
import { Chips } from '../ui/Chips';
import { Field, Input } from '../ui/Field';
import { Mute, PlainList, Sheet, Stack } from '../ui/parts';
import { percent, upper } from '../ui/words';

export const useLookingBack = () => useSWR<LookingBack>('/looking-back', get, { dedupingInterval: 30_000 });

/** A verdict in words, also one that only a search gives. */
export const verdictWords = (v: string): string =>
  (VERDICTS as readonly string[]).includes(v) ? verdictName(v as Verdict) : v;

/** Fewer cases than these say nothing to whoever reads a verdict, or chooses a donor. */
export const LEAST_TOLD = 3;
/** What is remembered of the pack of a job. */
export const useMemoryHere = (job: number) =>
  useSWR<MemoryHere>(`/jobs/${job}/memory`, get, { dedupingInterval: 30_000 });

/**
 * `14 of 15 confirmed here`: what this workshop's own jobs say of a verdict; empty of too few. Where what is remembered is weighed
 * in, what becomes of the stated confidence stands beside it.
 */
export function useTrackRecord(job: number): (verdict: string, confidence: number | null) => string {
  const { data } = useLookingBack();
  const { data: memory } = useMemoryHere(job);
  return (verdict, confidence) => {
    const share = data?.verdicts.find((v) => v.verdict === verdict)?.share;
    const told = share && share.n >= LEAST_TOLD ? `${share.hits} of ${share.n} confirmed here` : '';
    if (!memory?.on || !memory.model || confidence === null) return told;
    const { value, here } = withVerdicts(confidence, memory.model, verdict);
    if (!here) return told;
    return `${here.hits} of ${here.n} held on such packs: ${percent(value)} with them`;
  };
}

const ANSWERS: Record<(typeof WAS)[number], string> = {
  confirmed: 'Confirmed',
  refuted: 'Wrong',
  unclear: 'Cannot tell',
};
const Line = styled.li`
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  > span {
    flex: 1 1 220px;
  }
`;

/** Each verdict of this job, to be answered in one tap by whoever looked. */
export function WasItSo({ stage }: { stage: Stage }) {
  const { job, person } = useJobView();
  const { data } = useSWR<Claim[]>(`/jobs/${job.number}/outcomes`, get);
  const [tapped, setTapped] = useState<Record<string, Claim['outcome']>>({});
  if (!data || data.length === 0) return null;
  const answer = (c: Claim, was: NewOutcome['was'], found = ''): void => {
    const body: NewOutcome = {
      place: c.place,
      verdict: c.verdict,
      was,
      found,
      stage,
      observedAt: new Date().toISOString(),
    };
    take({
      path: `/jobs/${job.number}/outcomes`,
      body,
      label: `${c.place}, ${verdictWords(c.verdict)}: ${ANSWERS[was].toLowerCase()}`,
      jobNumber: job.number,
    });
    setTapped({
      ...tapped,
      [`${c.place} ${c.verdict}`]: { was, found, by: person.name, at: body.observedAt as string },
    });
  };
  return (
    <Sheet aria-label="Was the verdict right?">
      <Stack $gap={10}>
        <h2 style={{ fontSize: 'var(--t-l)' }}>Was the verdict right?</h2>
        <PlainList>
          {data.map((c) => {
            const now = tapped[`${c.place} ${c.verdict}`] ?? c.outcome;
            return (
              <Line key={`${c.place} ${c.verdict}`}>
                <span>
                  <b className="n">{c.place}</b> {verdictWords(c.verdict)}
                  {c.confidence !== null && <Mute>, said at {percent(c.confidence)}</Mute>}
                  {now && (
                    <>
                      <br />
                      <Mute>
                        {upper(now.was)}
                        {now.found && `, ${now.found}`}. {now.by}
                      </Mute>
                    </>
                  )}
                </span>
                {person.mayWrite && (
                  <Chips
                    selectionMode="single"
                    selectedKeys={now ? [now.was] : []}
                    onSelectionChange={(k) => {
                      const was = [...k][0] as NewOutcome['was'] | undefined;
                      if (was) answer(c, was, was === 'refuted' ? (now?.found ?? '') : '');
                    }}
                    aria-label={`${c.place}, ${verdictWords(c.verdict)}`}
                  >
                    {WAS.map((w) => (
                      <ToggleButton key={w} id={w}>
                        {ANSWERS[w]}
                      </ToggleButton>
                    ))}
                  </Chips>
                )}
                {person.mayWrite && now?.was === 'refuted' && (
                  <Field style={{ flex: '1 1 100%' }}>
                    What it was instead
                    <Input
                      defaultValue={now.found}
                      maxLength={300}
                      onBlur={(e) => {
                        const found = e.target.value.trim();
                        if (found !== now.found) answer(c, 'refuted', found);
                      }}
                    />
                  </Field>
                )}
              </Line>
            );
          })}
        </PlainList>
        <Mute>
          Asked of whoever opened it: the next verdict of its kind says how often such a one held here.
        </Mute>
      </Stack>
    </Sheet>
  );
}
