import { listWords, MEASURE_KINDS, MEASURES, type MeasureKind } from '@cellmend/core/route';
import { X } from 'lucide-react';
import { useJobView } from '../shell/jobContext';
import { Field, Input, Select } from '../ui/Field';
import { Button, Mute, Row, Sheet, Stack } from '../ui/parts';
import { currencyUnit, distanceUnit } from '../ui/units';
import { swapPlaces, type OptionRow } from './optionRow';

/** What an option can be by itself; modules and boards are what the findings propose. */
const WHOLE: readonly MeasureKind[] = MEASURE_KINDS.filter((k) => MEASURES[k].on === 'pack');
const NAMES = ['Leave it', 'Balance only', 'Module from the shelf', 'Whole set', 'Used pack', 'New pack'];

/** Names that options often have, offered while one is typed. */
export const OptionNames = () => (
  <datalist id="option-names">
    {NAMES.map((n) => (
      <option key={n} value={n} />
    ))}
  </datalist>
);

/** One option: what it costs, how long it lasts, how often it comes back, and what would be done. */
export function OptionForm({
  row,
  at,
  problem,
  onChange,
  onTakeOut,
}: {
  row: OptionRow;
  at: number;
  /** What of it cannot be read; empty where all can. */
  problem: string;
  onChange: (part: Partial<OptionRow>) => void;
  /** Null where it has to stay. */
  onTakeOut: (() => void) | null;
}) {
  const { job } = useJobView();
  const swapped = swapPlaces(row.done ?? '');
  return (
    <Sheet role="group" aria-label={`Option ${at + 1}`}>
      <Stack $gap={8}>
        <Row style={{ flexWrap: 'wrap' }}>
          <Field style={{ flex: '1 1 160px' }}>
            Option
            <Input
              list="option-names"
              value={row.name}
              maxLength={80}
              onChange={(e) => onChange({ name: e.target.value })}
            />
          </Field>
          {(
            [
              ['cost', `Costs${currencyUnit() ? `, ${currencyUnit()}` : ''}`, '600–720'],
              ['years', 'Lasts, years', '1.4–3.2'],
              ['range', `Goes, ${distanceUnit()}`, 'measured'],
              ['ready', 'Ready in, days', '2 to 4'],
              ['chance', 'Comes back', '1 in 9'],
              ['back', 'Then costs', 'the same'],
            ] as const
          ).map(([key, label, hint]) => (
            <Field key={key} style={{ flex: '1 1 96px' }}>
              {label}
              <Input
                className="n"
                placeholder={hint}
                value={row[key] ?? ''}
                maxLength={60}
                onChange={(e) => onChange({ [key]: e.target.value })}
              />
            </Field>
          ))}
        </Row>
        <Row style={{ alignItems: 'flex-end' }}>
          <Field style={{ flex: 1 }}>
            In a line
            <Input value={row.says} maxLength={300} onChange={(e) => onChange({ says: e.target.value })} />
          </Field>
          <Field style={{ flex: '0 1 260px' }}>
            What is done then
            <Select value={row.done ?? ''} onChange={(e) => onChange({ done: e.target.value })}>
              <option value="">not said</option>
              {swapped && (
                <option value={row.done}>
                  replace {swapped.length > 4 ? `${swapped.length} modules` : swapped.join(', ')}
                </option>
              )}
              {job.proposed.length > 0 && (
                <option value="proposed">
                  {listWords(job.proposed.map((m, k) => ({ ...m, id: `m${k}` })))}
                </option>
              )}
              {WHOLE.map((k) => (
                <option key={k} value={k}>
                  {MEASURES[k].name}
                </option>
              ))}
            </Select>
          </Field>
          {onTakeOut && (
            <Button quiet aria-label={`Take ${row.name || `option ${at + 1}`} out`} onPress={onTakeOut}>
              <X size={17} aria-hidden />
            </Button>
          )}
        </Row>
        {problem !== '' && Object.values(row).some((v) => (v ?? '').trim() !== '') && (
          <small role="status">
            <Mute>{problem}</Mute>
          </small>
        )}
      </Stack>
    </Sheet>
  );
}
