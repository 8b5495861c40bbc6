import { ENTRY_KINDS, type EntrySpec, type PackBody, type PackProfile } from '@cellmend/core/pack';
import { ENTRY_ADVICE } from '@cellmend/core/insulation';
import { X } from 'lucide-react';
import { Field, Input, Select, TextArea } from '../ui/Field';
import { Button, DataTable, Mute, Row, Sheet, Stack } from '../ui/parts';
import { number, orNone } from './figures';
import { Typed } from './Topology';

/** The closed pack as something to be lifted, and the ways by which water comes in. */
export function Body({
  profile,
  onChange,
}: {
  profile: PackProfile;
  onChange: (part: Partial<PackProfile>) => void;
}) {
  const body = profile.body ?? {};
  const set = (part: Partial<PackBody>): void => onChange({ body: { ...body, ...part } });
  const entries = profile.entries ?? [];
  const entry = (i: number, part: Partial<EntrySpec>): true => {
    onChange({ entries: entries.map((e, k) => (k === i ? { ...e, ...part } : e)) });
    return true;
  };
  const place = (i: number, key: 'tier' | 'row' | 'column', text: string): boolean => {
    const v = number(text);
    return (
      Number.isInteger(v) && v >= 1 && v <= 100 && entry(i, { place: { ...entries[i]!.place, [key]: v - 1 } })
    );
  };
  const size = body.sizeMm;
  return (
    <Sheet aria-label="Lifting it, and where water comes in">
      <Stack>
        <h3>Lifting it, and where water comes in</h3>
        <Row style={{ flexWrap: 'wrap' }}>
          <Field style={{ flex: '1 1 110px' }}>
            Mass, kg
            <Typed
              label="Mass of the pack, kg"
              text={body.massKg === undefined ? '' : String(body.massKg)}
              width="100%"
              onText={(t) => orNone(t, (massKg) => set({ massKg }))}
            />
          </Field>
          <Field style={{ flex: '1 1 200px' }}>
            Length × width × height, mm
            <Typed
              label="Length × width × height, mm"
              text={size ? size.join(' × ') : ''}
              width="100%"
              onText={(t) => {
                if (t === '') return (set({ sizeMm: undefined }), true);
                const v = t.split(/\s*[x×*]\s*/).map(number);
                if (v.length !== 3 || !v.every((n) => n > 0)) return false;
                set({ sizeMm: v as [number, number, number] });
                return true;
              }}
            />
          </Field>
          <Field style={{ flex: '3 1 280px' }}>
            Where it is lifted, and where its weight lies
            <Input
              value={body.lifting ?? ''}
              maxLength={500}
              onChange={(e) => set({ lifting: e.target.value || undefined })}
            />
          </Field>
        </Row>
        <Field>
          What is undone first, a line each: straps, coolant, plugs, nuts that are known to turn
          <TextArea
            defaultValue={(body.before ?? []).join('\n')}
            onBlur={(e) =>
              set({
                before: e.currentTarget.value
                  .split('\n')
                  .map((l) => l.trim())
                  .filter(Boolean),
              })
            }
          />
        </Field>
        {entries.length > 0 && (
          <DataTable>
            <thead>
              <tr>
                <th>Way in</th>
                <th>Kind</th>
                <th>Tier</th>
                <th>Row</th>
                <th>Column</th>
                <th aria-label="Take out" />
              </tr>
            </thead>
            <tbody>
              {entries.map((e, i) => (
                <tr key={i}>
                  <td>
                    <Typed
                      label={`Way in ${i + 1}, name`}
                      text={e.id}
                      width="100%"
                      onText={(t) => t !== '' && entry(i, { id: t })}
                    />
                  </td>
                  <td>
                    <Select
                      aria-label={`Way in ${i + 1}, kind`}
                      value={e.kind}
                      onChange={(x) => entry(i, { kind: x.target.value as EntrySpec['kind'] })}
                    >
                      {ENTRY_KINDS.map((k) => (
                        <option key={k} value={k}>
                          {ENTRY_ADVICE[k].name}
                        </option>
                      ))}
                    </Select>
                  </td>
                  {(['tier', 'row', 'column'] as const).map((key) => (
                    <td key={key}>
                      <Typed
                        label={`Way in ${i + 1}, ${key}`}
                        text={String(e.place[key] + 1)}
                        width={60}
                        onText={(t) => place(i, key, t)}
                      />
                    </td>
                  ))}
                  <td>
                    <Button
                      quiet
                      aria-label={`Take ${e.id} out`}
                      onPress={() => onChange({ entries: entries.filter((_, k) => k !== i) })}
                    >
                      <X size={16} aria-hidden />
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        )}
        <Row>
          <Button
            quiet
            onPress={() =>
              onChange({
                entries: [
                  ...entries,
                  { id: `way ${entries.length + 1}`, kind: 'valve', place: { tier: 0, row: 0, column: 0 } },
                ],
              })
            }
          >
            Add a way in
          </Button>
          {entries.length === 0 && (
            <Mute>
              Valves, bolts, seams, connectors, drains: where damage lies together, the likeliest is named.
            </Mute>
          )}
        </Row>
      </Stack>
    </Sheet>
  );
}
