import { benchProposes, type BenchSaid } from '@cellmend/core/bench';
import { measureWords } from '@cellmend/core/route';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { decisionOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { hasDraft, keepDraft } from '../../shell/useDraft';
import { Button, Mute, Row, Sheet, Stack } from '../../ui/parts';
import { upper } from '../../ui/words';
import { draftName, withLine, type Draft } from '../findings/measureList';

/** What the bench found and the list of measures does not say yet; it becomes lines of it, to be signed under Findings. */
export function Proposes({ said }: { said: readonly BenchSaid[] }) {
  const { job, pack, person } = useJobView();
  const navigate = useNavigate();
  const [asks, setAsks] = useState(false);
  const earlier = decisionOf(job, 'measures');
  const standing = (earlier?.body.measures ?? []).filter((m) => m.dropped === '');
  const lines = benchProposes(said, pack.profile.chemistry).filter(
    (l) => !standing.some((m) => m.kind === l.kind && m.place === l.place),
  );
  if (lines.length === 0) return null;
  const draft = draftName(job.number, earlier?.version ?? 0);
  const put = (replace = false): void => {
    if (!replace && hasDraft(draft)) return setAsks(true);
    const kept: Draft = {
      measures: lines.reduce(
        (list, l) => withLine(list, l.kind, l.place, l.why),
        earlier?.body.measures ?? [],
      ),
      elsewhere: earlier?.body.elsewhere ?? '',
    };
    keepDraft(draft, kept);
    void navigate(`/jobs/${job.number}/findings?decide`);
  };
  return (
    <Sheet aria-label="What follows from it">
      <Stack $gap={8}>
        <h2>What follows from it</h2>
        {lines.map((l) => (
          <span key={`${l.kind} ${l.place}`}>
            <b>{upper(measureWords(l))}</b>: {l.why}
          </span>
        ))}
        {person.mayWrite && !asks && (
          <Row>
            <Button onPress={() => put()}>Onto the list of measures</Button>
            <Mute>It is signed under Findings.</Mute>
          </Row>
        )}
        {asks && (
          <Row>
            <span style={{ flex: 1 }}>Somebody has begun to change the list on this tablet.</span>
            <Button onPress={() => void navigate(`/jobs/${job.number}/findings?decide`)}>See it first</Button>
            <Button quiet onPress={() => put(true)}>
              Put these instead
            </Button>
          </Row>
        )}
      </Stack>
    </Sheet>
  );
}
