import { LIMIT_KEYS, LIMITS, type Chemistry, type LimitSpec } from '@cellmend/core/pack';
import { X } from 'lucide-react';
import { Input, Select } from '../ui/Field';
import { Button, Mute, Row, Sheet, Stack } from '../ui/parts';

const MARKS: [LimitSpec['mark'], string][] = [
  ['maker', 'the maker'],
  ['P', 'published'],
  ['T', 'common practice'],
  ['M', 'from memory'],
];
/** The next limit that is not there yet. Its figure is still to be typed: none is offered as the maker's. */
const fresh = (limits: LimitSpec[]): Pick<LimitSpec, 'key' | 'value' | 'unit'> => {
  const key = LIMIT_KEYS.find((k) => !limits.some((l) => l.key === k));
  return key ? { key, value: NaN, unit: LIMITS[key].unit } : { key: 'other', value: NaN, unit: '' };
};

const usualOf = (key: LimitSpec['key'], chemistry: Chemistry): string =>
  key === 'other' ? '' : String(LIMITS[key].usual({ chemistry })?.value ?? '');
/** What was typed as a number; nothing, or no number, is no figure. */
const figureOf = (typed: string): number =>
  typed.trim() === '' ? NaN : Number(typed.replace(',', '.').trim());

/** Limits of this pack, each with where the figure comes from. They win over the usual ones in every computation. */
export function Limits({
  limits,
  chemistry,
  onChange,
}: {
  limits: LimitSpec[];
  chemistry: Chemistry;
  onChange: (limits: LimitSpec[]) => void;
}) {
  const set = (i: number, part: Partial<LimitSpec>): void =>
    onChange(limits.map((l, k) => (k === i ? { ...l, ...part } : l)));
  return (
    <Sheet>
      <Stack $gap={8}>
        <h2>Limits of this pack</h2>
        {limits.length === 0 && <Mute>None of its own: the defaults of the chemistry hold.</Mute>}
        {limits.map((l, i) => (
          <Row key={`${i} of ${limits.length}`} $gap={6}>
            <Select
              aria-label={`Limit ${i + 1}, what`}
              style={{ flex: '1 1 180px' }}
              value={l.key}
              onChange={(e) => {
                const key = e.target.value as LimitSpec['key'];
                set(
                  i,
                  key === 'other' ? { key, name: l.name ?? '', unit: '' } : { key, unit: LIMITS[key].unit },
                );
              }}
            >
              {LIMIT_KEYS.map((k) => (
                <option key={k} value={k} disabled={k !== l.key && limits.some((o) => o.key === k)}>
                  {LIMITS[k].name}
                </option>
              ))}
              <option value="other">Something else</option>
            </Select>
            {l.key === 'other' && (
              <Input
                aria-label={`Limit ${i + 1}, name`}
                style={{ flex: '1 1 110px' }}
                value={l.name ?? ''}
                maxLength={120}
                onChange={(e) => set(i, { name: e.target.value })}
              />
            )}
            <Input
              aria-label={`Limit ${i + 1}, value`}
              style={{ flex: '0 0 84px' }}
              inputMode="decimal"
              defaultValue={Number.isFinite(l.value) ? l.value : ''}
              placeholder={usualOf(l.key, chemistry)}
              onChange={(e) => set(i, { value: figureOf(e.target.value) })}
            />
            <Input
              aria-label={`Limit ${i + 1}, unit`}
              style={{ flex: '0 0 52px' }}
              value={l.unit}
              maxLength={20}
              readOnly={l.key !== 'other'}
              onChange={(e) => set(i, { unit: e.target.value })}
            />
            <Select
              aria-label={`Limit ${i + 1}, source`}
              style={{ flex: '0 0 128px' }}
              value={l.mark}
              onChange={(e) => {
                const mark = e.target.value as LimitSpec['mark'];
                set(i, { mark, source: MARKS.find(([m]) => m === mark)![1] });
              }}
            >
              {MARKS.map(([m, name]) => (
                <option key={m} value={m}>
                  {name}
                </option>
              ))}
            </Select>
            <Button
              quiet
              aria-label={`Remove limit ${i + 1}`}
              onPress={() => onChange(limits.filter((_, k) => k !== i))}
            >
              <X size={16} />
            </Button>
          </Row>
        ))}
        <Row>
          <Button
            quiet
            onPress={() => onChange([...limits, { ...fresh(limits), source: 'the maker', mark: 'maker' }])}
          >
            Add a limit
          </Button>
        </Row>
      </Stack>
    </Sheet>
  );
}
