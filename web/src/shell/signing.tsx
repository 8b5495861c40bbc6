import { decisionWords } from '@cellmend/contract/words';
import { type Decision, type DecisionBody, type NewDecision } from '@cellmend/contract/decisions';
import { useRef, useState } from 'react';
import { ApiProblem } from '../api/client';
import { Keys, UNCERTAIN } from '../api/keyFor';
import { signDecision } from '../api/hooks';
import { Button, Mute, ProblemNote, Row } from '../ui/parts';
import { when } from '../ui/words';
import { useJobView } from './jobContext';

export interface Signing {
  may: boolean;
  busy: boolean;
  problem: ApiProblem | null;
  /** The version somebody else signed meanwhile. */
  theirs: Decision | null;
  sign: (decision: Omit<NewDecision, 'baseVersion'>) => Promise<boolean>;
  takeTheirs: () => void;
}

/** Signs one kind of decision, from the version that was on screen; a version signed meanwhile is shown, not overwritten. */
export function useSigning(
  topic: DecisionBody['topic'],
  /** What to make of the version somebody else signed, once it has been read. */
  onTheirs?: (theirs: Decision) => void,
): Signing {
  const { job, person, refresh } = useJobView();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  // The version this page began from, kept while somebody types, so that a live update is not overwritten unseen.
  const [base, setBase] = useState(() => job.decisions.find((d) => d.topic === topic)?.version ?? 0);
  const keys = useRef(new Keys());
  const theirs =
    problem?.problem.status === 409 ? ((problem.problem.current as Decision | null) ?? null) : null;
  return {
    may:
      topic === 'intake' || topic === 'appraisal' || topic === 'reopen' ? person.mayWrite : person.maySignHv,
    busy,
    problem,
    theirs,
    takeTheirs: () => {
      if (theirs) {
        setBase(theirs.version);
        onTheirs?.(theirs);
      }
      setProblem(null);
      void refresh();
    },
    sign: async (decision) => {
      setBusy(true);
      setProblem(null);
      try {
        const body = { ...decision, baseVersion: base };
        const signed = await signDecision(job.number, body, keys.current.of(body));
        setBase(signed.version);
        keys.current.answered();
        await refresh();
        return true;
      } catch (e) {
        keys.current.failed(e);
        setProblem(
          e instanceof ApiProblem
            ? e
            : new ApiProblem({
                type: '',
                title: 'Away',
                status: 0,
                detail: `The server is away. ${UNCERTAIN} What you chose stays here.`,
              }),
        );
        return false;
      } finally {
        setBusy(false);
      }
    },
  };
}

/** Who signs, why somebody may not, and both versions when two people decided at once. */
export function SignNote({ signing }: { signing: Signing }) {
  const { person } = useJobView();
  const { theirs } = signing;
  return (
    <>
      {theirs && (
        <Row>
          <ProblemNote
            what={`${theirs.signedBy} signed version ${theirs.version} ${when(theirs.signedAt)}: ${decisionWords(theirs.body)}.${theirs.note ? ` “${theirs.note}”` : ''}`}
            accepted="Yours is still in the form, unsigned. Sign it over theirs only if you have spoken."
          />
          <Button quiet onPress={signing.takeTheirs}>
            I have read it
          </Button>
        </Row>
      )}
      {signing.problem && !theirs && (
        <ProblemNote
          what={signing.problem.message}
          where={signing.problem.problem.where}
          accepted={signing.problem.problem.accepted}
        />
      )}
      <Mute>
        {signing.may
          ? `Signed as ${person.name}.`
          : person.mayWrite
            ? `${person.name} may not sign work on high voltage. ${person.hvReason}`
            : 'Viewers read; they sign nothing.'}
      </Mute>
    </>
  );
}
