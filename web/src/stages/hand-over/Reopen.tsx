import { useJobView } from '../../shell/jobContext';
import { useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { Field, TextArea } from '../../ui/Field';
import { Button, ProblemNote, Sheet, Stack } from '../../ui/parts';

/** A code that comes back, a delta that grows: the job is open again. */
export function Reopen() {
  const { job } = useJobView();
  const signing = useSigning('reopen');
  const [why, setWhy, clear] = useDraft(`${job.number}.reopen`, '');
  return (
    <Sheet>
      <Stack>
        <Field>
          It is back: a code, a growing delta, a lamp
          <TextArea value={why} maxLength={500} onChange={(e) => setWhy(e.currentTarget.value)} />
        </Field>
        {signing.problem && <ProblemNote what={signing.problem.message} />}
        <div>
          <Button
            quiet
            isDisabled={!signing.may || signing.busy || why.trim().length < 3}
            onPress={() =>
              void signing
                .sign({ body: { topic: 'reopen', why }, findingIds: [] })
                .then((ok) => ok && clear())
            }
          >
            Open the job again
          </Button>
        </div>
      </Stack>
    </Sheet>
  );
}
