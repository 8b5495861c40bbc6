import {
  BUILD_KINDS,
  ENTRY_KINDS,
  type BuildPart,
  type EntrySpec,
  type Pack,
  type PackBody,
  type PackProfile,
} from '@cellmend/core/pack';
import { ENTRY_ADVICE } from '@cellmend/core/insulation';
import { defaultBuild, partName } from '@cellmend/core/stripdown';
import { X } from 'lucide-react';
import { useState } from 'react';
import styled from 'styled-components';
import { Field, Input, Select, TextArea } from '../ui/Field';
import { Button, DataTable, Mute, Row, Sheet, Stack } from '../ui/parts';
import { parseAfter, parseIds, printAfter, printIds } from './form';
import { Typed } from './Topology';

const Wide = styled.div`
  overflow-x: auto;
`;
const number = (text: string): number => Number(text.trim().replace(',', '.'));
/** Takes a figure above zero, or that there is none. */
const orNone = (text: string, then: (v: number | undefined) => void): boolean => {
  if (text === '') return (then(undefined), true);
  const v = number(text);
  return Number.isFinite(v) && v > 0 && (then(v), true);
};

/** How the pack comes apart, part by part: by its layout until somebody says otherwise. */
export function Build({
  profile,
  pack,
  onChange,
}: {
  profile: PackProfile;
  pack: Pack | null;
  onChange: (part: Partial<PackProfile>) => void;
}) {
  const [open, setOpen] = useState(false);
  const build = profile.build ?? [];
  const change = (i: number, part: Partial<BuildPart>): true => {
    onChange({ build: build.map((p, k) => (k === i ? { ...p, ...part } : p)) });
    return true;
  };
  const add = (): void => {
    let n = 1;
    while (build.some((p) => p.id === `part-${n}`)) n++;
    onChange({ build: [...build, { id: `part-${n}`, kind: 'other', name: `Part ${n}`, minutes: 5 }] });
  };
  return (
    <Sheet aria-label="How it comes apart">
      <Stack>
        <Row style={{ flexWrap: 'wrap' }}>
          <span style={{ flex: '1 1 260px' }}>
            <b>How it comes apart</b>{' '}
            <Mute>
              {build.length === 0
                ? 'By the layout, with usual minutes.'
                : `${build.length} parts, as told here.`}
            </Mute>
          </span>
          {build.length === 0 ? (
            <Button
              quiet
              isDisabled={!pack}
              onPress={() => (onChange({ build: defaultBuild(pack!) }), setOpen(true))}
            >
              Tell it part by part
            </Button>
          ) : (
            <>
              <Button quiet onPress={() => onChange({ build: undefined })}>
                By the layout again
              </Button>
              <Button quiet aria-expanded={open} onPress={() => setOpen(!open)}>
                {open ? 'Fold away' : 'Edit the parts'}
              </Button>
            </>
          )}
        </Row>
        {open && build.length > 0 && (
          <>
            <Wide role="region" aria-label="Parts of the build" tabIndex={0}>
              <DataTable>
                <thead>
                  <tr>
                    <th>Part</th>
                    <th>Kind</th>
                    <th>Comes after</th>
                    <th>Minutes</th>
                    <th>Tool</th>
                    <th>kg</th>
                    <th>N·m</th>
                    <th>New each time</th>
                    <th>Lies over</th>
                    <th>Closes in stages</th>
                    <th aria-label="Take out" />
                  </tr>
                </thead>
                <tbody>
                  {build.map((p, i) => (
                    <tr key={p.id}>
                      <td>
                        <Typed
                          label={`${p.id}, name`}
                          text={partName(p)}
                          width={128}
                          onText={(t) => t !== '' && change(i, { name: t })}
                        />
                        <Mute>{p.id}</Mute>
                      </td>
                      <td>
                        <Select
                          aria-label={`${p.id}, kind`}
                          value={p.kind}
                          onChange={(e) => change(i, { kind: e.target.value as BuildPart['kind'] })}
                          style={{ width: 112 }}
                        >
                          {BUILD_KINDS.map((k) => (
                            <option key={k}>{k}</option>
                          ))}
                        </Select>
                      </td>
                      <td>
                        <Typed
                          label={`${p.id}, comes after`}
                          text={printAfter(p.after)}
                          width={150}
                          onText={(t) => {
                            const after = parseAfter(
                              t,
                              build.map((b) => b.id),
                            );
                            return after !== null && change(i, { after });
                          }}
                        />
                      </td>
                      <td>
                        <Typed
                          label={`${p.id}, minutes`}
                          text={String(p.minutes)}
                          width={54}
                          onText={(t) => number(t) >= 0 && t !== '' && change(i, { minutes: number(t) })}
                        />
                      </td>
                      <td>
                        <Typed
                          label={`${p.id}, tool`}
                          text={p.tool ?? ''}
                          width={100}
                          onText={(t) => change(i, { tool: t === '' ? undefined : t })}
                        />
                      </td>
                      <td>
                        <Typed
                          label={`${p.id}, kg`}
                          text={p.massKg === undefined ? '' : String(p.massKg)}
                          width={54}
                          onText={(t) => orNone(t, (massKg) => change(i, { massKg }))}
                        />
                      </td>
                      <td>
                        <Typed
                          label={`${p.id}, torque`}
                          text={p.torqueNm === undefined ? '' : String(p.torqueNm)}
                          width={54}
                          onText={(t) => orNone(t, (torqueNm) => change(i, { torqueNm }))}
                        />
                      </td>
                      <td>
                        <Typed
                          label={`${p.id}, new each time`}
                          text={(p.singleUse ?? []).join(', ')}
                          width={104}
                          onText={(t) =>
                            change(i, {
                              singleUse: t === '' ? undefined : t.split(/\s*,\s*/).filter(Boolean),
                            })
                          }
                        />
                      </td>
                      <td>
                        {p.kind === 'module' || p.kind === 'link' ? (
                          <Mute>{p.kind === 'link' ? 'between its two' : 'itself'}</Mute>
                        ) : (
                          <Typed
                            label={`${p.id}, lies over`}
                            text={p.over?.length === profile.modules.length ? 'all' : printIds(p.over ?? [])}
                            width={104}
                            onText={(t) => {
                              const all = profile.modules.map((m) => m.id);
                              const over = t.trim().toLowerCase() === 'all' ? all : parseIds(t);
                              return over !== null && change(i, { over: over.length > 0 ? over : undefined });
                            }}
                          />
                        )}
                      </td>
                      <td>
                        <Typed
                          label={`${p.id}, closes in stages`}
                          text={(p.stages ?? []).join('; ')}
                          width={128}
                          onText={(t) => {
                            const stages = t.split(/\s*;\s*/).filter(Boolean);
                            return (
                              stages.length <= 4 &&
                              change(i, { stages: stages.length > 0 ? stages : undefined })
                            );
                          }}
                        />
                      </td>
                      <td>
                        <Button
                          quiet
                          aria-label={`Take ${partName(p)} out`}
                          onPress={() =>
                            onChange({
                              build: build
                                .filter((_, k) => k !== i)
                                .map((b) => ({
                                  ...b,
                                  after: b.after?.map((set) => set.filter((id) => id !== p.id)),
                                })),
                            })
                          }
                        >
                          <X size={16} aria-hidden />
                        </Button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </DataTable>
            </Wide>
            <Row>
              <Button quiet onPress={add}>
                Add a part
              </Button>
              <Mute>
                Ways round are told by “or”: lid, rail or side-cover. Stages of a connector by semicolons:
                pushed in until it clicks; lever over.
              </Mute>
            </Row>
          </>
        )}
      </Stack>
    </Sheet>
  );
}

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
