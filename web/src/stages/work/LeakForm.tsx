import type { Job } from '@cellmend/contract/jobs';
import { judgeLeakTest, type LeakJudged, type LeakTest } from '@cellmend/core/stripdown';
import { InputProblem } from '@cellmend/core/pack';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { Field, Input } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Stack } from '../../ui/parts';
import { celsiusOf } from '../../ui/celsius';
import { temperatureUnit } from '../../ui/units';
import { CheckForm } from './CheckForm';

const EMPTY = { startKpa: '', endKpa: '', startC: '', endC: '', minutes: '', allowedKpa: '' };
type Typed = typeof EMPTY;
const FIELDS: readonly [keyof Typed, string][] = [
  ['startKpa', 'Pressure at first, kPa'],
  ['endKpa', 'Pressure at the end, kPa'],
  ['minutes', 'It stood, min'],
  ['allowedKpa', 'Maker allows, kPa'],
  ['startC', 'Warmth at first'],
  ['endC', 'Warmth at the end'],
];
const number = (text: string): number => (text.trim() === '' ? NaN : Number(text.trim().replace(',', '.')));

function judge(t: Typed): { test: LeakTest; judged: LeakJudged } | null {
  const warm = (text: string): number | null => (text.trim() === '' ? null : celsiusOf(text));
  try {
    const test: LeakTest = {
      startKpa: number(t.startKpa),
      endKpa: number(t.endKpa),
      startC: warm(t.startC),
      endC: warm(t.endC),
      minutes: number(t.minutes),
      allowedKpa: number(t.allowedKpa),
    };
    return { test, judged: judgeLeakTest(test) };
  } catch (e) {
    if (e instanceof InputProblem) return null;
    throw e;
  }
}

/** The coolant circuit under air pressure, its warmth taken out; by hand where it is tested another way. */
export function LeakForm({ step, onDone }: { step: Job['steps'][number]; onDone: () => void }) {
  const { job } = useJobView();
  const [typed, setTyped, clear] = useDraft<Typed>(`${job.number}.leak-test`, EMPTY);
  const write = useWrite();
  const found = judge(typed);
  const any = Object.values(typed).some((v) => v.trim() !== '');
  const record = async (): Promise<void> => {
    const { evidence: check, place } = step;
    if (await write.run('/checks', { check, place, passed: found!.judged.passed, leak: found!.test })) {
      clear();
      onDone();
    }
  };
  return (
    <Stack>
      <Row style={{ flexWrap: 'wrap' }}>
        {FIELDS.map(([key, label]) => (
          <Field key={key} style={{ flex: '1 1 150px' }}>
            {label}
            {key.endsWith('C') ? `, ${temperatureUnit()}` : ''}
            <Input
              className="n"
              inputMode="decimal"
              value={typed[key]}
              onChange={(e) => setTyped({ ...typed, [key]: e.target.value })}
            />
          </Field>
        ))}
      </Row>
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      {any ? (
        <Row>
          <Button isDisabled={write.busy || !found} onPress={() => void record()}>
            {found && !found.judged.passed ? 'Record: it leaks' : 'Record: tight'}
          </Button>
          <Mute>
            {found ? found.judged.says : 'Both pressures, how long it stood, and what the maker allows.'}
          </Mute>
        </Row>
      ) : (
        <>
          <Mute>Tested another way, by vacuum or at the maker’s own stand:</Mute>
          <CheckForm step={step} onDone={onDone} />
        </>
      )}
    </Stack>
  );
}
