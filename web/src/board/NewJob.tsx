import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { ApiProblem, send } from '../api/client';
import { usePacks } from '../packs/Packs';
import { useDraft } from '../shell/useDraft';
import { Button, Field, Input, ProblemNote, Row, Sheet, Stack, TextArea } from '../ui/parts';

/** Opens a job: vehicle, pack and complaint. */
export function NewJob({ onClose }: { onClose: () => void }) {
  const { data } = usePacks();
  const [draft, setDraft, clear] = useDraft('new-job', { title: '', complaint: '', packProfileId: '' });
  const [problem, setProblem] = useState<string | null>(null);
  const navigate = useNavigate();
  const submit = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    setProblem(null);
    try {
      const { number } = await send<{ number: number }>('POST', '/jobs', {
        ...draft,
        packProfileId: draft.packProfileId || data?.[0]?.id,
      });
      clear();
      void navigate(`/jobs/${number}/scan`);
    } catch (e) {
      setProblem(
        e instanceof ApiProblem ? e.message : 'The server is away. What you typed is kept on this tablet.',
      );
    }
  };
  return (
    <Sheet as="form" onSubmit={(e) => void submit(e)} aria-label="New job">
      <Stack>
        <h2>New job</h2>
        {problem && <ProblemNote what={problem} />}
        <Row>
          <Field style={{ flex: 1 }}>
            Vehicle
            <Input
              required
              maxLength={120}
              value={draft.title}
              onChange={(e) => setDraft({ ...draft, title: e.target.value })}
            />
          </Field>
          <Field style={{ flex: 1 }}>
            Pack
            <Input
              as="select"
              value={draft.packProfileId || data?.[0]?.id}
              onChange={(e) => setDraft({ ...draft, packProfileId: e.target.value })}
            >
              {(data ?? []).map((p) => (
                <option key={p.id} value={p.id}>
                  {p.name}
                </option>
              ))}
            </Input>
          </Field>
        </Row>
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
