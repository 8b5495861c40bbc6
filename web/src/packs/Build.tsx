import { BUILD_KINDS, type BuildPart, type Pack, type PackProfile } from '@cellmend/core/pack';
import { defaultBuild, partName } from '@cellmend/core/stripdown';
import { X } from 'lucide-react';
import { useState } from 'react';
import { Select } from '../ui/Field';
import { Button, DataTable, Mute, Row, Sheet, Stack } from '../ui/parts';
import { number, orNone } from './figures';
import { parseAfter, parseIds, printAfter, printIds } from './form';
import { Typed } from './Topology';
import styled from 'styled-components';

const Wide = styled.div`
  overflow-x: auto;
`;
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
