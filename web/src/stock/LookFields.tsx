import type { PartFacts } from '@cellmend/contract/stock';
import { Field, Select } from '../ui/Field';
import { Row } from '../ui/parts';

export type Look = Pick<PartFacts, 'handedness' | 'coolantSide' | 'history'>;
const FIELDS = [
  ['handedness', 'Handedness', ['left', 'right', 'either']],
  ['coolantSide', 'Coolant side', ['left', 'right', 'below', 'none']],
  ['history', 'What it has been through', ['clean', 'wet', 'crashed']],
] as const;
const WORDS: Partial<Record<string, string>> = { clean: 'neither wet nor crashed', none: 'no coolant' };

/** How a module looks and what it has been through; nothing chosen is not known, and is asked for where it matters. */
export const LookFields = ({ look, onChange }: { look: Look; onChange: (part: Partial<Look>) => void }) => (
  <Row style={{ flexWrap: 'wrap' }}>
    {FIELDS.map(([key, label, words]) => (
      <Field key={key} style={{ flex: '1 1 150px' }}>
        {label}
        <Select value={look[key] ?? ''} onChange={(e) => onChange({ [key]: e.target.value || undefined })}>
          <option value="">not known</option>
          {words.map((w) => (
            <option key={w} value={w}>
              {WORDS[w] ?? w}
            </option>
          ))}
        </Select>
      </Field>
    ))}
  </Row>
);
