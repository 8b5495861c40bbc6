import type { StockPart } from '@cellmend/contract/stock';
import { mayGoIn, needAt } from '@cellmend/core/match';
import { useState } from 'react';
import { decisionOf, useStock } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Select, Field, Input } from '../../ui/Field';
import { Button, LinkButton, Mute, PlainList, ProblemNote, Row, Stack } from '../../ui/parts';
import { FIRST_OUT, isTold, OutFields } from './OutFields';

/** Puts a part in at a place and says where the one that stood there goes. */
export function FitForm({ place, onDone }: { place: string; onDone: () => void }) {
  const { job, pack, person } = useJobView();
  const { data: stock } = useStock();
  const chosen = decisionOf(job, 'match')?.body.choices.find((c) => c.place === place)?.partId;
  const need = needAt(pack, place);
  const judged = (s: StockPart) => (need ? mayGoIn(s, need) : null);
  const atHand = (stock ?? []).filter(
    (s) =>
      (s.kind === 'module') === (need !== null) &&
      s.place.kind !== 'quarantine' &&
      (s.reserved === null || s.reserved.job === job.number),
  );
  const fits = atHand.filter((s) => (judged(s)?.cannot ?? []).length === 0);
  const [picked, setPicked] = useState<string | null>(null);
  // What was signed under Match is offered; nothing else is, unasked.
  const partId = picked ?? (fits.some((s) => s.id === chosen) ? chosen : undefined);
  const part = fits.find((s) => s.id === partId);
  const deviates = (part && judged(part)?.deviates) ?? [];
  const [exception, setException] = useState('');
  const [out, setOut] = useState(FIRST_OUT);
  const write = useWrite();
  const fit = async (): Promise<void> => {
    const why = deviates.length > 0 ? { exception } : {};
    if (await write.run('/fit', { place, partId, out, ...why })) onDone();
  };
  if (stock && fits.length === 0)
    return (
      <Stack>
        <Row>
          <Mute>Nothing in stock belongs there. Take the new part in first.</Mute>
          <LinkButton $quiet to="/stock">
            Stock
          </LinkButton>
        </Row>
        <CannotLieThere parts={atHand} why={(s) => judged(s)?.cannot ?? []} place={place} />
      </Stack>
    );
  const answered = deviates.length === 0 || (person.role === 'lead' && exception.trim().length >= 3);
  return (
    <Stack>
      <Row>
        <Field style={{ flex: '1 1 240px' }}>
          Fit at {place}
          <Select value={partId ?? ''} onChange={(e) => setPicked(e.target.value)}>
            {partId === undefined && <option value="">Pick the part</option>}
            {fits.map((s) => (
              <option key={s.id} value={s.id}>
                {s.label}
                {s.id === chosen ? ', chosen' : ''}
                {(judged(s)?.deviates.length ?? 0) > 0 ? ', differs' : ''}
              </option>
            ))}
          </Select>
        </Field>
      </Row>
      {chosen && part && part.id !== chosen && (
        <Mute>Under Match another part was chosen for {place}: the sheet names both.</Mute>
      )}
      {part && deviates.length > 0 && (
        <>
          <ProblemNote
            what={`${part.label} differs from the pack’s own modules: ${deviates.join('; ')}.`}
            accepted={
              person.role === 'lead'
                ? 'A module of the same kind, or your reason: the sheet prints it with your name.'
                : 'A module of the same kind, or a lead who answers for it.'
            }
          />
          {person.role === 'lead' && (
            <Field>
              Why it is fitted all the same
              <Input value={exception} maxLength={500} onChange={(e) => setException(e.target.value)} />
            </Field>
          )}
        </>
      )}
      <CannotLieThere
        parts={atHand.filter((s) => !fits.includes(s))}
        why={(s) => judged(s)?.cannot ?? []}
        place={place}
      />
      <Mute>What came out of {place}:</Mute>
      <OutFields out={out} onChange={setOut} />
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      <Row>
        <Button isDisabled={write.busy || !partId || !isTold(out) || !answered} onPress={() => void fit()}>
          It is in
        </Button>
      </Row>
    </Stack>
  );
}

/** Parts at hand that cannot go in at a place, each with the reason. */
function CannotLieThere({
  parts,
  why,
  place,
}: {
  parts: readonly StockPart[];
  why: (s: StockPart) => string[];
  place: string;
}) {
  if (parts.length === 0) return null;
  return (
    <PlainList aria-label={`Cannot be fitted at ${place}`}>
      {parts.slice(0, 3).map((s) => (
        <li key={s.id}>
          <Mute>
            {s.label} cannot be fitted: {why(s)[0] ?? ''}
          </Mute>
        </li>
      ))}
      {parts.length > 3 && (
        <li>
          <Mute>And {parts.length - 3} more.</Mute>
        </li>
      )}
    </PlainList>
  );
}
