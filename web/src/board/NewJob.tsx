import type { Vehicle } from '@cellmend/contract/jobs';
import { useState, type FormEvent } from 'react';
import { ApiProblem, send } from '../api/client';
import { useVehicles } from '../api/hooks';
import { usePacks } from '../packs/Packs';
import { useDraft } from '../shell/useDraft';
import { Input, Select, TextArea, Field } from '../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { odometer } from '../ui/units';
import { day } from '../ui/words';
import { useOnward } from '../shell/useOnward';
import { JOB_DRAFT, NO_JOB, type JobDraft } from './waitingJob';

/** What is known of a vehicle that was here before, in one line. */
function knownWords(v: Vehicle): string {
  const last = v.jobs[0];
  const km = v.odometer[0];
  return [
    `${v.name} was here before`,
    last && `job ${last.number} on ${day(last.openedAt)}${last.ending ? `, ${last.ending}` : ''}`,
    km && `${odometer(km.km)} then`,
  ]
    .filter(Boolean)
    .join('; ');
}

/** Opens a job: vehicle, pack and complaint. A plate that was here before brings its pack and its history. */
export function NewJob({ onClose }: { onClose: () => void }) {
  const { data } = usePacks();
  const { data: vehicles } = useVehicles();
  const [draft, setDraft, clear] = useDraft<JobDraft>(JOB_DRAFT, NO_JOB);
  const describePack = (): void => {
    // Once its pack is described, the way leads back here.
    setDraft({ ...draft, waitsForPack: true });
    onward('/packs');
  };
  const [problem, setProblem] = useState<string | null>(null);
  const onward = useOnward();
  const plate = (draft.plate ?? '').trim();
  const known = plate ? vehicles?.find((v) => v.plate?.toLowerCase() === plate.toLowerCase()) : undefined;
  const inIt = known?.packs.find((p) => p.now);
  const profile = draft.packProfileId || inIt?.profileId || '';
  // What is known of the plate stands until somebody types another.
  const title = draft.title || known?.name || '';
  const submit = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    setProblem(null);
    const missing = [
      ...(title.trim() === '' ? ['which vehicle it is'] : []),
      ...(profile === '' ? ['which pack is in it'] : []),
    ];
    if (missing.length > 0) return setProblem(`Still missing: ${missing.join(', and ')}.`);
    try {
      const { number } = await send<{ number: number }>('POST', '/jobs', {
        title,
        complaint: draft.complaint,
        plate,
        packProfileId: profile,
      });
      clear();
      onward(`/jobs/${number}/intake`);
    } catch (e) {
      setProblem(
        e instanceof ApiProblem ? e.message : 'The server is away. What you typed is kept on this tablet.',
      );
    }
  };
  if (data && data.length === 0)
    return (
      <Sheet aria-label="New job">
        <Stack>
          <h2>No pack profile yet</h2>
          <p>A job is about a pack: its groups, modules and limits come first.</p>
          <Row>
            <Button onPress={describePack}>Make a pack profile</Button>
            <Button quiet onPress={onClose}>
              Not now
            </Button>
          </Row>
        </Stack>
      </Sheet>
    );
  return (
    <Sheet as="form" noValidate onSubmit={(e: FormEvent) => void submit(e)} aria-label="New job">
      <Stack>
        <h2>New job</h2>
        {problem && <ProblemNote what={problem} />}
        <Row>
          <Field style={{ flex: '2 1 200px' }}>
            Vehicle
            <Input
              required
              maxLength={120}
              value={title}
              onChange={(e) => setDraft({ ...draft, title: e.target.value })}
            />
          </Field>
          <Field style={{ flex: '1 1 130px' }}>
            Plate or fleet number
            <Input
              maxLength={40}
              value={draft.plate ?? ''}
              onChange={(e) => setDraft({ ...draft, plate: e.target.value })}
            />
          </Field>
          <Field style={{ flex: '2 1 200px' }}>
            Pack
            <Select
              required
              value={profile}
              onChange={(e) => setDraft({ ...draft, packProfileId: e.target.value })}
            >
              <option value="" disabled>
                Which pack is it?
              </option>
              {(data ?? []).map((p) => (
                <option key={p.id} value={p.id}>
                  {p.name}
                </option>
              ))}
            </Select>
          </Field>
        </Row>
        {known && <Mute>{knownWords(known)}.</Mute>}
        {profile === '' && (
          <Row>
            <Mute style={{ flex: 1 }}>
              A pack that is not listed gets its profile first; what is typed here stays.
            </Mute>
            <Button quiet onPress={describePack}>
              Make its profile
            </Button>
          </Row>
        )}
        <Field>
          Complaint
          <TextArea
            maxLength={2000}
            value={draft.complaint}
            onChange={(e) => setDraft({ ...draft, complaint: e.currentTarget.value })}
          />
        </Field>
        <Row>
          <Button type="submit">Open job</Button>
          <Button quiet onPress={onClose}>
            Not now
          </Button>
        </Row>
      </Stack>
    </Sheet>
  );
}
