import { use, useEffect, useState } from 'react';
import { Answer, Page, ProblemNote } from '../ui/parts';
import { STOPPED_HERE } from './closedHere';
import { JobContext } from './jobContext';

const PATIENCE_MS = 2500;

/** A page whose record has not arrived: nothing for a moment, then what is missing and what is known all the same. */
export const Awaiting = ({ question }: { question?: string | undefined }) => (
  <Page aria-busy="true">
    <Waited question={question} />
  </Page>
);

/** The same inside a page of which other parts are there. */
export function Waited({ question }: { question?: string | undefined }) {
  const job = use(JobContext)?.job;
  const [long, setLong] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setLong(true), PATIENCE_MS);
    return () => clearTimeout(timer);
  }, []);
  const closed = job?.gate.why === STOPPED_HERE;
  return (
    <>
      {(long || closed) && question && <h1>{question}</h1>}
      {closed && (
        <Answer tone="hot" title="Stopped">
          {job!.gate.why}
        </Answer>
      )}
      {long && (
        <ProblemNote
          what="The server does not answer, so this page cannot be shown yet."
          accepted="It is asked again by itself. What you enter in the jot line and with Stop is kept on this tablet until it answers."
        />
      )}
    </>
  );
}
