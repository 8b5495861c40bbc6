import type { NewClockSchema } from '@cellmend/contract/records';
import { InputProblem } from '@cellmend/core/pack';
import type { Stage } from '@cellmend/core/route';
import { cureHours } from '@cellmend/core/stripdown';
import type { z } from 'zod';
import { take } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Field, Input } from '../../ui/Field';
import { Button, Mute, Row, Sheet, Stack } from '../../ui/parts';
import { celsiusOf } from '../../ui/celsius';
import { temperature, temperatureUnit } from '../../ui/units';
import { fixed } from '../../ui/words';

/** Pot life and cure of what is usual, until its own sheet says otherwise. Common practice, no source. */
const USUAL = { paste: '120', cure: '24' };
const number = (text: string): number => Number(text.trim().replace(',', '.'));

/** Mixing starts a clock, and so does sealing: pot life by the sheet, cure by the sheet and how warm it is. */
export function ClosingClocks({ stage }: { stage: Stage }) {
  const { job, person } = useJobView();
  const [typed, setTyped] = useDraft(`${job.number}.closing`, { ...USUAL, warmth: '' });
  const start = (kind: 'paste' | 'sealant', label: string, minutes: number): void => {
    const body: z.input<typeof NewClockSchema> = {
      label,
      kind,
      endsAt: new Date(Date.now() + minutes * 60_000).toISOString(),
      stage,
    };
    take({ path: `/jobs/${job.number}/clocks`, body, label, jobNumber: job.number });
  };
  const pot = number(typed.paste);
  const potOk = pot > 0 && pot <= 1440;
  let cure: number | null = null;
  let why = 'How warm it is where it cures.';
  if (typed.warmth.trim() !== '')
    try {
      cure = cureHours(number(typed.cure), celsiusOf(typed.warmth));
      why = `${fixed(cure, cure < 10 ? 1 : 0)} h there. The sealant’s own sheet comes first.`;
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      why = `${e.what} ${e.accepted}`;
    }
  if (!person.mayWrite) return null;
  return (
    <Sheet aria-label="Paste and sealant">
      <Stack $gap={10}>
        <h3>Paste and sealant</h3>
        <Row style={{ alignItems: 'flex-end', flexWrap: 'wrap' }}>
          <Field style={{ flex: '1 1 120px' }}>
            Pot life, min
            <Input
              className="n"
              inputMode="decimal"
              value={typed.paste}
              onChange={(e) => setTyped({ ...typed, paste: e.target.value })}
            />
          </Field>
          <Button quiet isDisabled={!potOk} onPress={() => start('paste', 'Thermal paste, pot life', pot)}>
            Paste mixed
          </Button>
        </Row>
        <Row style={{ alignItems: 'flex-end', flexWrap: 'wrap' }}>
          <Field style={{ flex: '1 1 110px' }}>
            Cure, h at {temperature(23)}
            <Input
              className="n"
              inputMode="decimal"
              value={typed.cure}
              onChange={(e) => setTyped({ ...typed, cure: e.target.value })}
            />
          </Field>
          <Field style={{ flex: '1 1 90px' }}>
            It is, {temperatureUnit()}
            <Input
              className="n"
              inputMode="decimal"
              value={typed.warmth}
              onChange={(e) => setTyped({ ...typed, warmth: e.target.value })}
            />
          </Field>
          <Button
            quiet
            isDisabled={cure === null}
            onPress={() => start('sealant', 'Sealant cures', cure! * 60)}
          >
            Sealant on
          </Button>
        </Row>
        <Mute>{why}</Mute>
      </Stack>
    </Sheet>
  );
}
