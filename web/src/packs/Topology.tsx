import type { BoardSpec, LinkSpec, ModuleSpec, PackProfile } from '@cellmend/core/pack';
import { useState } from 'react';
import { Field, Input, Select } from '../ui/Field';
import { Button, DataTable, Mute, Row, Sheet, Stack } from '../ui/parts';
import { parseIds, printIds, renameModule } from './form';

const KINDS: [LinkSpec['kind'], string][] = [
  ['busbar', 'bus-bar'],
  ['cable', 'cable'],
  ['service-disconnect', 'service disconnect'],
];

/** A cell that is read when it is left, and shows its old text again if it cannot be read. */
export function Typed({
  label,
  text,
  width,
  onText,
}: {
  label: string;
  text: string;
  width: number | string;
  onText: (text: string) => boolean;
}) {
  return (
    <Input
      key={text}
      aria-label={label}
      defaultValue={text}
      style={{ width }}
      onBlur={(e) => {
        if (e.target.value !== text && !onText(e.target.value.trim())) e.target.value = text;
      }}
    />
  );
}

/** Sense boards and the channels each reports; one line makes them all where they are alike. */
function Boards({ profile, onChange }: { profile: PackProfile; onChange: (profile: PackProfile) => void }) {
  const [each, setEach] = useState('');
  const boards = profile.boards ?? [];
  const put = (next: BoardSpec[]): void =>
    onChange({ ...profile, boards: next.length > 0 ? next : undefined });
  const channels = profile.channels.map((c) => c.id);
  const size = Number(each);
  const can = Number.isInteger(size) && size >= 1 && size <= channels.length;
  return (
    <Stack>
      {boards.length === 0 ? (
        <Row>
          <Field style={{ width: 190 }}>
            Channels a board
            <Input inputMode="numeric" value={each} onChange={(e) => setEach(e.target.value)} />
          </Field>
          <Button
            quiet
            isDisabled={!can}
            onPress={() =>
              put(
                Array.from({ length: Math.ceil(channels.length / size) }, (_, i) => ({
                  id: `SB${String(i + 1).padStart(2, '0')}`,
                  channels: channels.slice(i * size, (i + 1) * size),
                })),
              )
            }
          >
            Lay them along the string
          </Button>
        </Row>
      ) : (
        <DataTable>
          <tbody>
            {boards.map((b, i) => (
              <tr key={i}>
                <td>
                  <Typed
                    label={`Board ${i + 1}, name`}
                    text={b.id}
                    width={84}
                    onText={(t) =>
                      t !== '' && (put(boards.map((x, k) => (k === i ? { ...x, id: t } : x))), true)
                    }
                  />
                </td>
                <td>
                  <Typed
                    label={`Board ${i + 1}, channels`}
                    text={printIds(b.channels)}
                    width="100%"
                    onText={(t) => {
                      const ids = parseIds(t);
                      if (!ids) return false;
                      put(boards.map((x, k) => (k === i ? { ...x, channels: ids } : x)));
                      return true;
                    }}
                  />
                </td>
                <td>
                  <Button
                    quiet
                    aria-label={`Take board ${b.id} out of the list`}
                    onPress={() => put(boards.filter((_, k) => k !== i))}
                  >
                    Take out
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </DataTable>
      )}
      {boards.length > 0 && (
        <Row>
          <Button
            quiet
            onPress={() => {
              const free = channels.filter((c) => !boards.some((b) => b.channels.includes(c)));
              put([
                ...boards,
                {
                  id: `SB${String(boards.length + 1).padStart(2, '0')}`,
                  channels: free.length > 0 ? free : channels.slice(-1),
                },
              ]);
            }}
          >
            One more board
          </Button>
        </Row>
      )}
    </Stack>
  );
}

/** Every module with what it holds and where it lies, and every link between two: for packs that numbers cannot lay out. */
export function Topology({
  profile,
  onChange,
}: {
  profile: PackProfile;
  onChange: (profile: PackProfile) => void;
}) {
  const [open, setOpen] = useState(false);
  const module = (i: number, part: Partial<ModuleSpec>): boolean => {
    onChange({ ...profile, modules: profile.modules.map((m, k) => (k === i ? { ...m, ...part } : m)) });
    return true;
  };
  const link = (i: number, part: Partial<LinkSpec>): boolean => {
    onChange({ ...profile, links: profile.links?.map((l, k) => (k === i ? { ...l, ...part } : l)) });
    return true;
  };
  const number = (text: string, then: (v: number) => boolean): boolean => {
    const v = Number(text.replace(',', '.'));
    return text !== '' && Number.isFinite(v) && v >= 0 && then(v);
  };
  const place = (i: number, m: ModuleSpec, key: 'tier' | 'row' | 'column', text: string): boolean =>
    number(
      text,
      (v) =>
        Number.isInteger(v) &&
        v >= 1 &&
        module(i, { place: { ...(m.place ?? { tier: 0, row: i, column: 0 }), [key]: v - 1 } }),
    );
  if (!open) {
    return (
      <Row>
        <Button quiet onPress={() => setOpen(true)}>
          Edit every module and link
        </Button>
      </Row>
    );
  }
  return (
    <Sheet>
      <Stack>
        <Row>
          <h3 style={{ flex: 1 }}>Modules</h3>
          <Button quiet onPress={() => setOpen(false)}>
            Fold away
          </Button>
        </Row>
        <DataTable>
          <thead>
            <tr>
              <th>Name</th>
              <th>Channels or groups, along the string</th>
              <th>Tier</th>
              <th>Row</th>
              <th>Column</th>
              <th>kg</th>
            </tr>
          </thead>
          <tbody>
            {profile.modules.map((m, i) => (
              <tr key={i}>
                <td>
                  <Typed
                    label={`Module ${i + 1}, name`}
                    text={m.id}
                    width={84}
                    onText={(t) => t !== '' && (onChange(renameModule(profile, i, t)), true)}
                  />
                </td>
                <td>
                  <Typed
                    label={`Module ${i + 1}, channels or groups`}
                    text={printIds([...(m.channels ?? []), ...(m.groups ?? [])])}
                    width="100%"
                    onText={(t) => {
                      const ids = parseIds(t);
                      if (!ids) return false;
                      const known = new Set(profile.channels.map((c) => c.id));
                      return module(i, {
                        channels: ids.filter((x) => known.has(x)),
                        groups: ids.filter((x) => !known.has(x)),
                      });
                    }}
                  />
                </td>
                {(['tier', 'row', 'column'] as const).map((k) => (
                  <td key={k}>
                    <Typed
                      label={`Module ${i + 1}, ${k}`}
                      text={String((m.place?.[k] ?? 0) + 1)}
                      width={58}
                      onText={(t) => place(i, m, k, t)}
                    />
                  </td>
                ))}
                <td>
                  <Typed
                    label={`Module ${i + 1}, kg`}
                    text={m.massKg === undefined ? '' : String(m.massKg)}
                    width={68}
                    onText={(t) =>
                      t === ''
                        ? module(i, { massKg: undefined })
                        : number(t, (v) => v > 0 && module(i, { massKg: v }))
                    }
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </DataTable>
        <h3>Sense boards</h3>
        <Boards profile={profile} onChange={onChange} />
        <h3>Links</h3>
        {(profile.links ?? []).length === 0 && <Mute>None given.</Mute>}
        <DataTable>
          <tbody>
            {(profile.links ?? []).map((l, i) => (
              <tr key={l.id}>
                <td>
                  <b>{l.id}</b>
                </td>
                <td>{l.between.join(' and ')}</td>
                <td>
                  <Select
                    aria-label={`Link ${l.id}, kind`}
                    value={l.kind}
                    onChange={(e) => link(i, { kind: e.target.value as LinkSpec['kind'] })}
                  >
                    {KINDS.map(([k, name]) => (
                      <option key={k} value={k}>
                        {name}
                      </option>
                    ))}
                  </Select>
                </td>
                <td>
                  <Row $gap={6}>
                    <Typed
                      label={`Link ${l.id}, minutes to open`}
                      text={l.accessMin === undefined ? '' : String(l.accessMin)}
                      width={68}
                      onText={(t) =>
                        t === ''
                          ? link(i, { accessMin: undefined })
                          : number(t, (v) => link(i, { accessMin: v }))
                      }
                    />
                    <Mute>min</Mute>
                  </Row>
                </td>
              </tr>
            ))}
          </tbody>
        </DataTable>
      </Stack>
    </Sheet>
  );
}
