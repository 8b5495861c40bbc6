import type { Person } from '@cellmend/contract/people';
import type { PartHistory } from '@cellmend/contract/stock';
import { LookFields } from './LookFields';
import { currencyUnit } from '../ui/units';
import { printQuantity, type Quantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { useState } from 'react';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { FIRST_OUT, isTold, OutFields } from '../stages/work/OutFields';
import { useDraft } from '../shell/useDraft';
import { Input, Field } from '../ui/Field';
import { Button, DataTable, LinkButton, Mute, Row, Sheet, Stack } from '../ui/parts';
import { FormEnd } from '../ui/FormEnd';
import { upper, when } from '../ui/words';
import { EMPTY, readFigures, readPrice } from './figures';
import { FigureFields } from './TakeIn';
import { useStockWrite } from './useStockWrite';

type Doing = 'measure' | 'move' | 'correct' | null;

/** One part: where it was, what was measured of it, and what can be done with it. */
export function PartPanel({ id, person }: { id: string; person: Person }) {
  const { data } = useSWR<PartHistory>(`/stock/${id}`, get);
  const [doing, setDoing] = useState<Doing>(null);
  if (!data) return null;
  const { part, placements, readings, facts, photos } = data;
  const here = ['shelf', 'bench', 'quarantine'].includes(part.place.kind);
  const done = (): void => setDoing(null);
  return (
    <Sheet aria-label={`Part ${part.label}`}>
      <Stack>
        <Row>
          <h2 style={{ flex: 1 }}>{part.label}</h2>
          {person.mayWrite && here && (
            <>
              <Button quiet onPress={() => setDoing('measure')}>
                Measured
              </Button>
              <Button quiet onPress={() => setDoing('move')}>
                Move
              </Button>
              <Button quiet onPress={() => setDoing('correct')}>
                Correct
              </Button>
            </>
          )}
          <LinkButton $quiet to={`/stock/${id}/label`}>
            Label
          </LinkButton>
          <LinkButton $quiet to="/stock">
            Close
          </LinkButton>
        </Row>
        {photos.length > 0 && <Photos ids={photos} label={part.label} />}
        {doing === 'measure' && <Measure id={id} onDone={done} />}
        {doing === 'move' && <Move id={id} onDone={done} />}
        {doing === 'correct' && <Correct history={data} onDone={done} />}
        <DataTable>
          <thead>
            <tr>
              <th>When</th>
              <th>What</th>
              <th>By</th>
            </tr>
          </thead>
          <tbody>
            {[
              ...placements.map((p) => ({
                at: p.at,
                by: p.by,
                says: `${p.kind === 'pack' ? `In at ${p.where}` : upper(p.kind)}${p.job ? `, job ${p.job}` : ''}${[p.reason, p.proof].filter(Boolean).length > 0 ? `: ${[p.reason, p.proof].filter(Boolean).join('; ')}` : ''}`,
              })),
              ...readings.map((r) => ({
                at: r.at,
                by: r.by,
                says:
                  r.value === null || r.unit === ''
                    ? r.text
                    : `${upper(r.kind)} ${printQuantity(r.value, r.kind as Quantity)}`,
              })),
              ...facts
                .filter((f) => f.version > 1)
                .map((f) => ({ at: f.at, by: f.by, says: `Corrected: ${f.reason}` })),
            ]
              .sort((a, b) => (a.at < b.at ? 1 : -1))
              .slice(0, 60)
              .map((r, i) => (
                <tr key={`${r.at} ${i}`}>
                  <td>
                    <Mute>{when(r.at)}</Mute>
                  </td>
                  <td>{r.says}</td>
                  <td>{r.by}</td>
                </tr>
              ))}
          </tbody>
        </DataTable>
      </Stack>
    </Sheet>
  );
}

function Measure({ id, onDone }: { id: string; onDone: () => void }) {
  const [typed, setTyped, clear] = useDraft(`stock.${id}.figures`, EMPTY);
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const write = useStockWrite();
  const keep = async (): Promise<void> => {
    setProblem(null);
    try {
      if (await write.run(`/stock/${id}/figures`, readFigures(typed))) {
        clear();
        onDone();
      }
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  return (
    <Stack>
      <FigureFields typed={typed} onChange={setTyped} />
      <FormEnd problems={[problem, write.problem]} onNotNow={onDone}>
        <Button isDisabled={write.busy} onPress={() => void keep()}>
          Record
        </Button>
      </FormEnd>
    </Stack>
  );
}

function Move({ id, onDone }: { id: string; onDone: () => void }) {
  const [out, setOut] = useState(FIRST_OUT);
  const write = useStockWrite();
  const go = async (): Promise<void> => {
    if (await write.run(`/stock/${id}/place`, out)) onDone();
  };
  return (
    <Stack>
      <OutFields out={out} onChange={setOut} />
      <FormEnd problems={[write.problem]} onNotNow={onDone}>
        <Button isDisabled={write.busy || !isTold(out)} onPress={() => void go()}>
          It is there
        </Button>
      </FormEnd>
    </Stack>
  );
}

function Correct({ history, onDone }: { history: PartHistory; onDone: () => void }) {
  const now = history.facts[0]!.facts;
  const [facts, setFacts] = useState(now);
  const [reason, setReason] = useState('');
  const write = useStockWrite();
  const [price, setPrice] = useState(now.price === undefined ? '' : String(now.price));
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const keep = async (): Promise<void> => {
    setProblem(null);
    try {
      const said = { ...facts, price: readPrice(price) };
      if (await write.run(`/stock/${history.part.id}/facts`, { facts: said, reason })) onDone();
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  const whole = (text: string): number | undefined => (text.trim() === '' ? undefined : Number(text));
  return (
    <Stack>
      <Row>
        {now.groupCount !== undefined && (
          <Field style={{ flex: '1 1 120px' }}>
            Groups in series
            <Input
              inputMode="numeric"
              value={facts.groupCount ?? ''}
              onChange={(e) => setFacts({ ...facts, groupCount: whole(e.target.value) })}
            />
          </Field>
        )}
        <Field style={{ flex: '1 1 120px' }}>
          Revision or code
          <Input
            value={facts.revision ?? ''}
            maxLength={40}
            onChange={(e) => setFacts({ ...facts, revision: e.target.value || undefined })}
          />
        </Field>
        <Field style={{ flex: '1 1 120px' }}>
          Cells in parallel
          <Input
            inputMode="numeric"
            value={facts.cellsParallel ?? ''}
            onChange={(e) => setFacts({ ...facts, cellsParallel: whole(e.target.value) })}
          />
        </Field>
        <Field style={{ flex: '2 1 200px' }}>
          Where it comes from
          <Input
            value={facts.origin}
            maxLength={300}
            onChange={(e) => setFacts({ ...facts, origin: e.target.value })}
          />
        </Field>
        <Field style={{ flex: '1 1 120px' }}>
          Price{currencyUnit() && `, ${currencyUnit()}`}
          <Input inputMode="decimal" value={price} onChange={(e) => setPrice(e.target.value)} />
        </Field>
      </Row>
      {now.groupCount !== undefined && (
        <LookFields look={facts} onChange={(part) => setFacts({ ...facts, ...part })} />
      )}
      <Field>
        Why it is corrected
        <Input value={reason} maxLength={500} onChange={(e) => setReason(e.target.value)} />
      </Field>
      <FormEnd problems={[problem, write.problem]} onNotNow={onDone}>
        <Button isDisabled={write.busy || reason.trim().length < 3} onPress={() => void keep()}>
          Correct
        </Button>
      </FormEnd>
    </Stack>
  );
}

const Pictures = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  img {
    width: 104px;
    height: 78px;
    object-fit: cover;
    border-radius: 4px;
    display: block;
  }
`;
/** Photographs of the places it stood at, while it stood there. */
function Photos({ ids, label }: { ids: readonly string[]; label: string }) {
  return (
    <Pictures>
      {ids.map((id) => (
        <a key={id} href={`/api/photos/${id}`} target="_blank" rel="noreferrer">
          <img src={`/api/photos/${id}/small`} alt={`Photograph of ${label}`} loading="lazy" />
        </a>
      ))}
    </Pictures>
  );
}
