import { ModuleLook } from './ModuleLook';
import type { Person } from '@cellmend/contract/people';
import { PackProfileSchema, readPackProfile, type StoredProfile } from '@cellmend/contract/pack';
import { fieldsOf } from '@cellmend/contract/problem';
import { checkProfile, chemistryName, type Chemistry, type PackProfile } from '@cellmend/core/pack';
import { Download, Upload } from 'lucide-react';
import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { useParams } from 'react-router';
import styled from 'styled-components';
import useSWR, { useSWRConfig } from 'swr';
import { ApiProblem, get, send } from '../api/client';
import { Awaiting } from '../shell/Awaiting';
import { WorkshopFrame } from '../shell/Header';
import { Input, Field } from '../ui/Field';
import { Button, Columns, Mute, NextBar, Page, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { Body } from './Body';
import { Build } from './Build';
import { PackSide } from './PackSide';
import { applyLayout, fieldName, layoutOf, type Layout } from './form';
import { Limits } from './Limits';
import { SafetyFields } from './SafetyFields';
import { RestCurve, RestCurveTable } from './RestCurve';
import { Topology } from './Topology';
import { ChemistryField } from './ChemistryField';
import { useOnward } from '../shell/useOnward';
import { jobWaits, NEW_JOB_PATH, packForWaitingJob } from '../board/waitingJob';

const Split = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 372px;
  height: 100%;
  @media (max-width: 1000px) {
    grid-template-columns: 1fr;
    height: auto;
  }
`;
const Scroll = styled.div`
  overflow: auto;
  min-width: 0;
`;
export function PackEditor({ person }: { person: Person }) {
  const { id } = useParams();
  const { data, error } = useSWR<StoredProfile>(`/packs/${id}`, get);
  if (error instanceof ApiProblem)
    return (
      <WorkshopFrame person={person}>
        <Page>
          <h1>No such pack</h1>
          <ProblemNote what={error.message} />
        </Page>
      </WorkshopFrame>
    );
  if (!data)
    return (
      <WorkshopFrame person={person}>
        <Awaiting question="Pack" />
      </WorkshopFrame>
    );
  return (
    <WorkshopFrame person={person}>
      <Form key={data.id} stored={data} person={person} />
    </WorkshopFrame>
  );
}

/** The profile on the left, the pack it makes on the right, drawn as it is typed. */
function Form({ stored, person }: { stored: StoredProfile; person: Person }) {
  const [base, setBase] = useState(stored.version);
  const [profile, setProfile] = useState<PackProfile>(stored.profile);
  const [layout, setLayout] = useState<Layout>(() => layoutOf(stored.profile));
  const [laid, setLaid] = useState(true);
  // Counts up when a whole profile arrives from elsewhere, so that the pasted table begins anew.
  const [imported, setImported] = useState(0);
  const [selected, select] = useState<number | null>(null);
  const [problem, setProblem] = useState<{
    what: string;
    where?: string | undefined;
    accepted?: string | undefined;
  } | null>(null);
  const [wanted, setWanted] = useState<Chemistry | null>(null);
  const asked = wanted === profile.chemistry ? null : wanted;
  const [busy, setBusy] = useState(false);
  // It was saved here, and a new job waits for it.
  const [described, setDescribed] = useState(false);
  const { mutate } = useSWRConfig();
  const onward = useOnward();
  const parsed = PackProfileSchema.safeParse(profile);
  const { faults, pack } = parsed.success
    ? checkProfile(profile)
    : {
        faults: fieldsOf(parsed.error).map((f) => ({
          level: 'error' as const,
          what: f.message,
          where: fieldName(f.field),
        })),
        pack: null,
      };
  const [drawn, setDrawn] = useState(pack);
  if (pack && pack.profile !== drawn?.profile) setDrawn(pack);
  const change = (part: Partial<PackProfile>): void => setProfile({ ...profile, ...part });
  const lay = (part: Partial<Layout>): void => {
    const next = { ...layout, ...part };
    setLayout(next);
    const made = applyLayout(profile, next);
    setLaid(made !== null);
    if (made) setProfile(made);
  };
  const number = (text: string): number => Number(text.replace(',', '.'));
  const take = (next: PackProfile): void => {
    setProfile(next);
    setLayout(layoutOf(next));
    setImported((n) => n + 1);
    setLaid(true);
  };
  const read = async (file: File): Promise<void> => {
    setProblem(null);
    try {
      const result = readPackProfile(JSON.parse(await file.text()));
      if (!result.success)
        setProblem({
          what: `${file.name} is not a pack profile.`,
          where: fieldsOf(result.error)
            .slice(0, 4)
            .map((f) => `${fieldName(f.field)}: ${f.message}`)
            .join(' · '),
          accepted: 'A pack.json with name, chemistry, channels, modules and ocv.',
        });
      else take(result.data);
    } catch {
      setProblem({ what: `${file.name} is not JSON.`, accepted: 'A pack.json as it is exported here.' });
    }
  };
  const save = async (asNew: boolean): Promise<void> => {
    setBusy(true);
    setProblem(null);
    try {
      const saved = asNew
        ? await send<StoredProfile>('POST', '/packs', { profile, baseVersion: 0 })
        : await send<StoredProfile>('PUT', `/packs/${stored.id}`, { profile, baseVersion: base });
      setBase(saved.version);
      await mutate((k) => typeof k === 'string' && k.startsWith('/packs'));
      if (jobWaits()) setDescribed(true);
      if (asNew) onward(`/packs/${saved.id}`);
    } catch (e) {
      setProblem(
        e instanceof ApiProblem
          ? { what: e.message, where: e.problem.where, accepted: e.problem.accepted }
          : {
              what: 'The server is away. Whether it was saved is not certain; what you typed stays on this page.',
            },
      );
    } finally {
      setBusy(false);
    }
  };
  const download = (): void => {
    const link = document.createElement('a');
    link.href = URL.createObjectURL(
      new Blob([JSON.stringify(profile, null, 1)], { type: 'application/json' }),
    );
    link.download = 'pack.json';
    link.click();
    URL.revokeObjectURL(link.href);
  };
  const errors = faults.filter((f) => f.level === 'error');
  const volts = (drawn?.groups.length ?? 0) * (profile.ocv[Math.floor(profile.ocv.length / 2)]?.[1] ?? 0);
  return (
    <Split>
      <Scroll>
        <Page>
          <h1>{profile.name || 'A pack without a name'}</h1>
          {problem && <ProblemNote {...problem} />}
          {errors.map((f) => (
            <ProblemNote key={f.where + f.what} what={f.what} where={f.where} />
          ))}
          <Columns>
            <Sheet>
              <Stack>
                <Field>
                  Name
                  <Input
                    value={profile.name}
                    maxLength={120}
                    onChange={(e) => change({ name: e.target.value })}
                  />
                </Field>
                <ChemistryField
                  profile={profile}
                  change={change}
                  take={take}
                  wanted={asked}
                  want={setWanted}
                />
                <Row>
                  <Field style={{ flex: 1 }}>
                    Rated, A·h
                    <Input
                      inputMode="decimal"
                      defaultValue={profile.ratedCapacityAh}
                      onChange={(e) => change({ ratedCapacityAh: number(e.target.value) })}
                    />
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Range, km
                    <Input
                      inputMode="decimal"
                      defaultValue={profile.ratedRangeKm ?? ''}
                      onChange={(e) =>
                        change({
                          ratedRangeKm: e.target.value.trim() === '' ? undefined : number(e.target.value),
                        })
                      }
                    />
                  </Field>
                </Row>
                <Row>
                  <Field style={{ flex: 1 }}>
                    Channel when new, mΩ
                    <Input
                      inputMode="decimal"
                      defaultValue={profile.nominalGroupResistanceMilliohm}
                      onChange={(e) => change({ nominalGroupResistanceMilliohm: number(e.target.value) })}
                    />
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Bleeders, mA
                    <Input
                      inputMode="decimal"
                      defaultValue={profile.bleederMilliamp ?? ''}
                      onChange={(e) =>
                        change({
                          bleederMilliamp: e.target.value.trim() === '' ? undefined : number(e.target.value),
                        })
                      }
                    />
                  </Field>
                </Row>
              </Stack>
            </Sheet>
            <Sheet>
              <Stack>
                <Field>
                  Groups per module, along the string
                  <small>12×6, 3×8, 4 is twelve of six, three of eight, one of four.</small>
                  <Input value={layout.sizes} onChange={(e) => lay({ sizes: e.target.value })} />
                </Field>
                <Field>
                  Modules per tier, lowest first
                  <Input value={layout.tiers} onChange={(e) => lay({ tiers: e.target.value })} />
                </Field>
                <Row>
                  <Field style={{ flex: 1 }}>
                    Columns
                    <Input
                      inputMode="numeric"
                      value={layout.columns}
                      onChange={(e) =>
                        lay({ columns: Math.min(20, Math.max(1, Math.round(number(e.target.value)) || 1)) })
                      }
                    />
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Cells per channel
                    <Input
                      inputMode="numeric"
                      value={layout.cellsPerChannel}
                      onChange={(e) =>
                        lay({
                          cellsPerChannel: Math.min(40, Math.max(1, Math.round(number(e.target.value)) || 1)),
                        })
                      }
                    />
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Disconnect after
                    <Input
                      inputMode="numeric"
                      value={layout.disconnectAfter}
                      onChange={(e) =>
                        lay({ disconnectAfter: Math.max(0, Math.round(number(e.target.value)) || 0) })
                      }
                    />
                  </Field>
                </Row>
                {!laid && (
                  <ProblemNote
                    what="These numbers do not make a pack together; the map shows the last that did."
                    accepted="Tiers that add up to the count of modules; groups that divide into whole channels."
                  />
                )}
                <ModuleLook profile={profile} onChange={change} />
              </Stack>
            </Sheet>
          </Columns>
          <Columns>
            <RestCurveTable key={imported} profile={profile} onChange={change} />
            <Stack>
              <RestCurve table={profile.ocv} />
              <Limits
                limits={profile.limits ?? []}
                chemistry={profile.chemistry}
                onChange={(limits) => change({ limits })}
              />
            </Stack>
          </Columns>
          <SafetyFields profile={profile} onChange={change} />
          <Body key={`body ${imported}`} profile={profile} onChange={change} />
          <Build profile={profile} pack={drawn} onChange={change} />
          <Topology profile={profile} onChange={take} />
          {faults
            .filter((f) => f.level === 'remark')
            .map((f) => (
              <Mute key={f.what}>{f.what}</Mute>
            ))}
          <NextBar>
            <div>
              <b>
                {asked
                  ? `What becomes of the rest curve with ${chemistryName(asked)}? Answer above; nothing is saved before.`
                  : errors.length === 0
                    ? 'The profile is consistent.'
                    : errors.length === 1
                      ? errors[0]!.what
                      : `${errors.length} faults to mend first, listed above.`}
              </b>
              <br />
              <Mute>
                Version {base}
                {stored.jobs > 0 && `, used by ${stored.jobs} ${stored.jobs === 1 ? 'job' : 'jobs'}`}
              </Mute>
            </div>
            <Row $gap={8}>
              <FileTrigger
                acceptedFileTypes={['.json', 'application/json']}
                onSelect={(f) => f?.[0] && void read(f[0])}
              >
                <Button quiet>
                  <Upload size={17} />
                  Import
                </Button>
              </FileTrigger>
              <Button quiet onPress={download}>
                <Download size={17} />
                Export
              </Button>
              {person.mayWrite && (
                <Button
                  quiet
                  isDisabled={errors.length > 0 || asked !== null || busy}
                  onPress={() => void save(true)}
                >
                  Save as new
                </Button>
              )}
              {person.mayWrite && (
                <Button
                  quiet={described}
                  isDisabled={errors.length > 0 || asked !== null || busy}
                  onPress={() => void save(false)}
                >
                  Save
                </Button>
              )}
              {described && (
                <Button
                  onPress={() => {
                    packForWaitingJob(stored.id);
                    onward(NEW_JOB_PATH);
                  }}
                >
                  Back to the new job
                </Button>
              )}
            </Row>
          </NextBar>
        </Page>
      </Scroll>
      <PackSide pack={drawn} fullV={volts} selected={selected} onSelect={select} />
    </Split>
  );
}
