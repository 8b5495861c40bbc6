import type { NewOpenPoint, OpenPoint } from '@cellmend/contract/stripdown';
import type { Stage } from '@cellmend/core/route';
import { buildOf, OPEN_POINTS, partName } from '@cellmend/core/stripdown';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import useSWR from 'swr';
import { get } from '../../api/client';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { Chips } from '../../ui/Chips';
import { Field, Input, Select } from '../../ui/Field';
import { Button, Mute, PlainList, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { upper, when } from '../../ui/words';

export const useOpenPointsOf = (job: number) => useSWR<OpenPoint[]>(`/jobs/${job}/open-points`, get);

/** What a repair leaves behind: said here, printed on the sheets while it stands. */
export function OpenPoints({ stage }: { stage: Stage }) {
  const { job, pack, person } = useJobView();
  const { data } = useOpenPointsOf(job.number);
  const [open, setOpen] = useState(false);
  const [draft, setDraft, , restart] = useDraft(`${job.number}.open-point`, {
    what: 'thread damaged' as NewOpenPoint['what'],
    place: '',
    text: '',
  });
  const write = useWrite();
  const names = buildOf(pack).parts;
  const nameOf = (id: string): string => {
    const part = names.find((p) => p.id === id);
    return part ? partName(part) : id;
  };
  const keep = async (): Promise<void> => {
    const body: NewOpenPoint = { ...draft, stage, observedAt: new Date().toISOString() };
    if (await write.run('/open-points', body)) {
      restart();
      setOpen(false);
    }
  };
  const standing = (data ?? []).filter((p) => !p.mended);
  const mended = (data ?? []).filter((p) => p.mended);
  return (
    <Sheet aria-label="Open points">
      <Stack $gap={8}>
        <Row>
          <h3 style={{ flex: 1 }}>Open points</h3>
          {person.mayWrite && (
            <Button quiet aria-expanded={open} onPress={() => setOpen(!open)}>
              {open ? 'Not now' : 'Add one'}
            </Button>
          )}
        </Row>
        {data && data.length === 0 && !open && (
          <Mute>
            A damaged thread, a broken captive nut, a missing part: what stands here is printed for the owner.
          </Mute>
        )}
        <PlainList>
          {standing.map((p) => (
            <li key={p.id}>
              <One point={p} name={nameOf(p.place)} />
            </li>
          ))}
          {mended.map((p) => (
            <li key={p.id}>
              <Mute>
                {upper(p.what)}
                {p.place && `, ${nameOf(p.place)}`}: put right, {p.mended!.how}. {p.mended!.by}
              </Mute>
            </li>
          ))}
        </PlainList>
        {open && (
          <>
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[draft.what]}
              onSelectionChange={(k) => setDraft({ ...draft, what: [...k][0] as NewOpenPoint['what'] })}
              aria-label="What it is"
            >
              {OPEN_POINTS.map((w) => (
                <ToggleButton key={w} id={w}>
                  {w}
                </ToggleButton>
              ))}
            </Chips>
            <Row style={{ alignItems: 'flex-end', flexWrap: 'wrap' }}>
              <Field style={{ flex: '0 1 190px' }}>
                At
                <Select value={draft.place} onChange={(e) => setDraft({ ...draft, place: e.target.value })}>
                  <option value="">the pack</option>
                  {names.map((p) => (
                    <option key={p.id} value={p.id}>
                      {partName(p)}
                    </option>
                  ))}
                </Select>
              </Field>
              <Field style={{ flex: '1 1 220px' }}>
                In words
                <Input
                  value={draft.text}
                  maxLength={500}
                  onChange={(e) => setDraft({ ...draft, text: e.target.value })}
                />
              </Field>
              <Button
                isDisabled={write.busy || (draft.what === 'other' && draft.text.trim() === '')}
                onPress={() => void keep()}
              >
                Record
              </Button>
            </Row>
            {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
          </>
        )}
      </Stack>
    </Sheet>
  );
}

function One({ point, name }: { point: OpenPoint; name: string }) {
  const { job, person } = useJobView();
  const [asks, setAsks] = useState(false);
  const [how, setHow, clear] = useDraft(`${job.number}.mended.${point.id}`, '');
  const write = useWrite();
  const mend = async (): Promise<void> => {
    if (await write.run(`/open-points/${point.id}/mended`, { how })) clear();
  };
  return (
    <Stack $gap={6}>
      <Row>
        <span style={{ flex: 1 }}>
          <b>
            {upper(point.what)}
            {name && `, ${name}`}
          </b>{' '}
          <Mute>
            {point.text && `${point.text}. `}
            {point.by}, {when(point.at)}
          </Mute>
        </span>
        {person.mayWrite && !asks && (
          <Button quiet onPress={() => setAsks(true)}>
            Put right
          </Button>
        )}
      </Row>
      {asks && (
        <Row style={{ alignItems: 'flex-end' }}>
          <Field style={{ flex: 1 }}>
            How it was put right
            <Input value={how} maxLength={500} onChange={(e) => setHow(e.target.value)} />
          </Field>
          <Button isDisabled={write.busy || how.trim().length < 3} onPress={() => void mend()}>
            It is right
          </Button>
          <Button quiet onPress={() => setAsks(false)}>
            Not now
          </Button>
        </Row>
      )}
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
    </Stack>
  );
}
