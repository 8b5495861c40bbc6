import type { NewPhoto, Photo } from '@cellmend/contract/photos';
import type { Stage } from '@cellmend/core/route';
import { Camera, X } from 'lucide-react';
import { useState, useSyncExternalStore } from 'react';
import { Button as AriaButton, Dialog, FileTrigger } from 'react-aria-components';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { enqueue, subscribe, waitingNow } from '../api/queue';
import { useJobView } from '../shell/jobContext';
import { useDraft } from '../shell/useDraft';
import { useWrite } from '../shell/useWrite';
import { DialogBox, Overlay } from '../ui/dialog';
import { Field, Input } from '../ui/Field';
import { Button, Mute, ProblemNote, Row, Stack } from '../ui/parts';
import { when } from '../ui/words';
import { shrink } from './shrink';

/** A photograph, or one that still waits on this tablet. */
export type Shown = Pick<Photo, 'id' | 'place' | 'note' | 'by' | 'at'> & { waits?: string };

const pathOf = (job: number): string => `/jobs/${job}/photos`;

/** Those the server has; none yet is not the same as not yet known. */
export const useStored = (job: number) => useSWR<Photo[]>(pathOf(job), get);

/** Photographs of this job, newest first: what waits on this tablet as well. */
export function usePhotos(): Shown[] {
  const { job, person } = useJobView();
  const { data } = useStored(job.number);
  const waiting = useSyncExternalStore(subscribe, waitingNow, waitingNow);
  const own = waiting
    .filter((w) => w.path === pathOf(job.number) && w.refused === null)
    .map((w): Shown => {
      const { image, place = '', note = '', observedAt } = w.body as NewPhoto;
      return { id: w.key, place, note, by: person.name, at: observedAt, waits: image };
    });
  return [...own.reverse(), ...(data ?? [])];
}

/** Takes a photograph of a place, or picks one: it is kept on this tablet before it is sent. */
export function PhotoButton({
  place,
  stage,
  label = 'Photo',
}: {
  place: string;
  stage: Stage;
  label?: string;
}) {
  const { job, person } = useJobView();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState('');
  const takeAll = async (files: FileList | null): Promise<void> => {
    if (!files) return;
    setBusy(true);
    setProblem('');
    try {
      for (const file of files) {
        const body: NewPhoto = {
          image: await shrink(file),
          place,
          stage,
          observedAt: new Date().toISOString(),
        };
        await enqueue({
          path: pathOf(job.number),
          body,
          label: `Photograph of ${place || 'the pack'}`,
          jobNumber: job.number,
        });
      }
    } catch (e) {
      setProblem((e as Error).message);
    } finally {
      setBusy(false);
    }
  };
  if (!person.mayWrite) return null;
  return (
    <>
      <FileTrigger acceptedFileTypes={['image/*']} allowsMultiple onSelect={(f) => void takeAll(f)}>
        <Button quiet isDisabled={busy} aria-label={`${label} of ${place || 'the pack'}`}>
          <Camera size={18} aria-hidden />
          {busy ? 'Reading …' : label}
        </Button>
      </FileTrigger>
      {problem !== '' && <ProblemNote what={problem} accepted="A photograph: JPEG, PNG or WebP." />}
    </>
  );
}

const Thumbs = styled.ul<{ $small: boolean }>`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  button {
    border: 1px solid var(--edge);
    border-radius: 4px;
    padding: 0;
    background: var(--chip);
    cursor: pointer;
    display: block;
    overflow: hidden;
    width: ${(p) => (p.$small ? 52 : 104)}px;
    height: ${(p) => (p.$small ? 52 : 78)}px;
  }
  img {
    width: 100%;
    height: 100%;
    object-fit: cover;
    display: block;
  }
  figcaption {
    font-size: var(--t-xs);
    color: var(--mute);
    max-width: ${(p) => (p.$small ? 52 : 104)}px;
    overflow-wrap: anywhere;
  }
  figure {
    margin: 0;
  }
`;
const Large = styled.img`
  width: 100%;
  max-height: 64vh;
  object-fit: contain;
  background: var(--chip);
  border-radius: 4px;
`;
const small = (p: Shown): string =>
  p.waits ? `data:image/jpeg;base64,${p.waits}` : `/api/photos/${p.id}/small`;
const whole = (p: Shown): string => (p.waits ? small(p) : `/api/photos/${p.id}`);

/** Photographs side by side; a press shows one as large as the screen allows. */
export function PhotoStrip({
  photos,
  nameOf = (place) => place,
  bare = false,
}: {
  photos: readonly Shown[];
  nameOf?: (place: string) => string;
  /** Without captions, small. */
  bare?: boolean;
}) {
  const [shown, setShown] = useState<Shown | null>(null);
  if (photos.length === 0) return null;
  const captionOf = (p: Shown): string => (p.place === '' ? 'Pack' : nameOf(p.place));
  return (
    <>
      <Thumbs $small={bare} aria-label="Photographs">
        {photos.map((p) => (
          <li key={p.id}>
            <figure>
              <AriaButton
                aria-label={`Photograph of ${captionOf(p)}, ${when(p.at)}`}
                onPress={() => setShown(p)}
              >
                <img src={small(p)} alt="" loading="lazy" />
              </AriaButton>
              {!bare && (
                <figcaption>
                  {captionOf(p)}
                  {p.waits ? ', waits' : ''}
                </figcaption>
              )}
            </figure>
          </li>
        ))}
      </Thumbs>
      {shown && <One photo={shown} name={captionOf(shown)} onClose={() => setShown(null)} />}
    </>
  );
}

function One({ photo, name, onClose }: { photo: Shown; name: string; onClose: () => void }) {
  const { job, person } = useJobView();
  const [reason, setReason, clear] = useDraft(`${job.number}.no-photo.${photo.id}`, '');
  const [asks, setAsks] = useState(false);
  const write = useWrite();
  const withdraw = async (): Promise<void> => {
    if (await write.run(`/photos/${photo.id}/withdraw`, { reason })) {
      clear();
      onClose();
    }
  };
  return (
    <Overlay isOpen onOpenChange={(open) => !open && onClose()} isDismissable>
      <DialogBox style={{ width: 'min(980px, 96vw)' }}>
        <Dialog aria-label={`Photograph of ${name}`}>
          <Stack>
            <Row>
              <h2 style={{ flex: 1 }}>{name}</h2>
              <Button quiet onPress={onClose} aria-label="Close">
                <X size={18} aria-hidden />
                Close
              </Button>
            </Row>
            <Large src={whole(photo)} alt={photo.note || `Photograph of ${name}`} />
            <Row>
              <Mute style={{ flex: 1 }}>
                {photo.note && `${photo.note}. `}
                {photo.by}, {when(photo.at)}
                {photo.waits ? ', waits on this tablet' : ''}
              </Mute>
              {person.mayWrite && !photo.waits && !asks && (
                <Button quiet onPress={() => setAsks(true)}>
                  Taken by mistake
                </Button>
              )}
            </Row>
            {asks && (
              <Row style={{ alignItems: 'flex-end' }}>
                <Field style={{ flex: 1 }}>
                  Why it is taken back; the record keeps it
                  <Input value={reason} maxLength={500} onChange={(e) => setReason(e.target.value)} />
                </Field>
                <Button isDisabled={write.busy || reason.trim() === ''} onPress={() => void withdraw()}>
                  Take back
                </Button>
              </Row>
            )}
            {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
          </Stack>
        </Dialog>
      </DialogBox>
    </Overlay>
  );
}
