import { LinkButton, Page, Sheet, Stack } from '../ui/parts';
import { useJobView } from './jobContext';

/** A stage that opens the pack, while the gate is closed: by its address too. */
export function Closed({ question, name }: { question: string; name: string }) {
  const { job } = useJobView();
  return (
    <Page>
      <h1>{question}</h1>
      <Sheet>
        <Stack>
          <h2>{name} is closed by the gate</h2>
          <p>
            It opens once the pack is proven dead, and closes again when it is re-energised, stopped, or the
            shift changes hands. {job.gate.why}
          </p>
          <div>
            <LinkButton to={`/jobs/${job.number}/make-safe`}>Make safe</LinkButton>
          </div>
        </Stack>
      </Sheet>
    </Page>
  );
}
