import type { PackProfile } from '@cellmend/core/pack';
import { Field, Input, Select } from '../ui/Field';
import { Mute, Row, Stack } from '../ui/parts';

type Look = NonNullable<PackProfile['moduleLook']>;

/** How the modules of a pack look: what a donor has to be alike in. What is left empty is asked of no donor. */
export function ModuleLook({
  profile,
  onChange,
}: {
  profile: PackProfile;
  onChange: (part: Pick<PackProfile, 'moduleRevision' | 'moduleLook'>) => void;
}) {
  const look = profile.moduleLook ?? {};
  const set = (part: Look): void => {
    const next = Object.fromEntries(Object.entries({ ...look, ...part }).filter(([, v]) => v !== undefined));
    onChange({ moduleLook: Object.keys(next).length > 0 ? (next as Look) : undefined });
  };
  const pick = <K extends 'handedness' | 'coolantSide'>(key: K, label: string, words: readonly string[]) => (
    <Field style={{ flex: '1 1 130px' }}>
      {label}
      <Select
        value={look[key] ?? ''}
        onChange={(e) => set({ [key]: (e.target.value || undefined) as Look[K] })}
      >
        <option value="">not said</option>
        {words.map((w) => (
          <option key={w}>{w}</option>
        ))}
      </Select>
    </Field>
  );
  return (
    <Stack $gap={8}>
      <h2>What a donor has to be alike in</h2>
      <Row style={{ flexWrap: 'wrap' }}>
        <Field style={{ flex: '1 1 130px' }}>
          Revision or code
          <Input
            defaultValue={profile.moduleRevision ?? ''}
            maxLength={40}
            onChange={(e) => onChange({ moduleRevision: e.target.value.trim() || undefined })}
          />
        </Field>
        <Field style={{ flex: '1 1 130px' }}>
          Cells in parallel
          <Input
            className="n"
            inputMode="numeric"
            defaultValue={look.cellsParallel ?? ''}
            onChange={(e) => {
              const n = Number(e.target.value);
              set({ cellsParallel: Number.isInteger(n) && n > 0 ? n : undefined });
            }}
          />
        </Field>
        <Field style={{ flex: '1 1 130px' }}>
          Connector
          <Input
            defaultValue={look.connector ?? ''}
            maxLength={80}
            onChange={(e) => set({ connector: e.target.value.trim() || undefined })}
          />
        </Field>
        {pick('handedness', 'Handedness', ['left', 'right', 'either'])}
        {pick('coolantSide', 'Coolant side', ['left', 'right', 'below', 'none'])}
      </Row>
      <Mute>
        Left empty it is asked of no donor. The same look may hide another capacity: count the cells.
      </Mute>
    </Stack>
  );
}
