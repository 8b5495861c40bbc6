import type { NewTick } from '@cellmend/contract/stripdown';
import type { BuildPart } from '@cellmend/core/pack';
import { STAGE_FACTS } from '@cellmend/core/route';
import {
  bags,
  buildOf,
  judgeJoints,
  offNow,
  partName,
  rebuildOrder,
  stagesOpen,
  tooEarly,
} from '@cellmend/core/stripdown';
import { TriangleAlert } from 'lucide-react';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { PhotoStrip, usePhotos, type Shown } from '../../photos/Photos';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Field, Input } from '../../ui/Field';
import {
  Answer,
  Button,
  Columns,
  DataTable,
  LinkButton,
  Mute,
  Page,
  PlainList,
  Row,
  Sheet,
} from '../../ui/parts';
import { fixed, when } from '../../ui/words';
import { Readings } from '../notes/Readings';
import type { StageProps } from '../props';
import { Asked } from '../strip-down/Asked';
import { ClosingClocks } from './ClosingClocks';
import { OpenPoints } from './OpenPoints';
import { WithinReach } from './WithinReach';
import { sendTick, useTicks } from '../strip-down/usePlan';

const Line = styled.li<{ $now: boolean }>`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px 14px;
  ${(p) => p.$now && 'border-left: 5px solid var(--mat-text); padding-left: 10px;'}
`;
/** One stage of a connector: pressed once it was seen or heard to close, one after the other. */
const ClosedStage = styled(ToggleButton)`
  min-height: 44px;
  padding: 0 14px;
  border: 1px solid var(--edge);
  border-radius: 6px;
  background: var(--sheet);
  color: var(--ink);
  font-weight: 600;
  cursor: pointer;
  &[data-selected] {
    background: var(--ink);
    color: var(--sheet);
  }
  &[data-disabled] {
    color: var(--mute);
    border-style: dashed;
    cursor: default;
  }
`;
/** A figure as it is typed: null where nothing is, undefined where it cannot be read. */
const read = (text: string, most: number): number | null | undefined => {
  if (text.trim() === '') return null;
  const n = Number(text.trim().replace(',', '.'));
  return Number.isFinite(n) && n > 0 && n <= most ? n : undefined;
};
const MOST_NM = 1000;
const MOST_MICROOHM = 1e6;

/** What goes on again: the way back of what was really taken off, with what each joint measures. */
export function RebuildStage({ question, stage }: StageProps) {
  const { job, pack, person } = useJobView();
  const { ticks, view } = useTicks();
  const order = rebuildOrder(pack, ticks);
  const holds = job.gate.holds;
  const put = (part: BuildPart, figures: Partial<NewTick>): void => {
    const body: NewTick = { part: part.id, off: false, observedAt: new Date().toISOString(), ...figures };
    sendTick(job.number, body, `${partName(part)} on`);
  };
  /** A joint that is made again comes off first, and goes on with figures of its own. */
  const undo = (part: string): void =>
    sendTick(
      job.number,
      { part, off: true, note: 'joint is made again', observedAt: new Date().toISOString() },
      `${part} off again`,
    );
  const bagOf = bags(ticks);
  const photos = usePhotos();
  const nowOff = new Set(offNow(ticks));
  const on = (view?.ticks ?? []).filter((t) => !t.off && !t.mistake && !nowOff.has(t.part));
  const newest = [...new Map(on.map((t) => [t.part, t])).values()];
  const parts = new Map(buildOf(pack).parts.map((p) => [p.id, p]));
  const kindOf = (id: string): string => pack.profile.links?.find((l) => l.id === id)?.kind ?? 'other';
  const joints = judgeJoints(
    newest.flatMap((t) =>
      t.microohm === null ? [] : [{ joint: t.part, kind: kindOf(t.part), microohm: t.microohm }],
    ),
  );
  const bad = joints.filter((j) => j.remake);
  const any = ticks.length > 0;
  return (
    <Page>
      <h1>{question}</h1>
      <Answer
        tone={bad.length > 0 ? 'suspect' : any && order.length === 0 ? 'good' : 'plain'}
        title={
          bad.length > 0
            ? `${bad.map((b) => b.joint).join(', ')}: make ${bad.length === 1 ? 'this joint' : 'these joints'} again`
            : !any
              ? 'Nothing was taken off yet'
              : order.length === 0
                ? 'Everything is on again'
                : `${partName(order[0]!)} goes on next`
        }
        big={any && order.length > 0 ? String(order.length) : undefined}
        small={any && order.length > 0 ? 'still to go on' : undefined}
      >
        {STAGE_FACTS[stage].caution}
      </Answer>
      {!holds && any && order.length > 0 && (
        <Sheet role="note">
          <Row>
            <span style={{ flex: 1 }}>
              <b>The gate is closed.</b> <Mute>{job.gate.why}</Mute>
            </span>
            <LinkButton $quiet to={`/jobs/${job.number}/make-safe`}>
              Make safe
            </LinkButton>
          </Row>
        </Sheet>
      )}
      <WithinReach />
      {order.length > 0 && (
        <PlainList aria-label="What goes on again">
          {order.map((p, i) => (
            <Line key={p.id} $now={i === 0}>
              <PutOn
                part={p}
                bag={bagOf.get(p.id)}
                photos={photos.filter((x) => x.place === p.id).slice(0, 4)}
                may={holds && person.mayWrite}
                first={tooEarly(pack, ticks, p.id).map(partName).join(', ')}
                onPut={(figures) => put(p, figures)}
              />
            </Line>
          ))}
        </PlainList>
      )}
      {newest.length > 0 && (
        <Sheet aria-label="On again">
          <h3>On again</h3>
          <DataTable>
            <thead>
              <tr>
                <th>Part</th>
                <th className="r">Torque</th>
                <th className="r">Joint</th>
                <th className="r">Its like</th>
                <th>Who and when</th>
              </tr>
            </thead>
            <tbody>
              {newest.map((t) => {
                const joint = joints.find((j) => j.joint === t.part);
                const part = parts.get(t.part);
                return (
                  <tr key={t.id}>
                    <td>
                      <b>{part ? partName(part) : t.part}</b>
                      {joint?.remake && (
                        <>
                          {' '}
                          <TriangleAlert size={15} aria-hidden /> make it again{' '}
                          {holds && person.mayWrite && (
                            <Button quiet onPress={() => undo(t.part)}>
                              Loosened
                            </Button>
                          )}
                        </>
                      )}
                      {t.note && <Mute> {t.note}</Mute>}
                    </td>
                    <td className="r">
                      {t.torqueNm === null ? <Mute>not given</Mute> : `${fixed(t.torqueNm, 1)} N·m`}
                    </td>
                    <td className="r">
                      {t.microohm === null ? <Mute>not measured</Mute> : `${fixed(t.microohm, 0)} µΩ`}
                    </td>
                    <td className="r">
                      {joint?.medianMicroohm == null ? (
                        <Mute>too few</Mute>
                      ) : (
                        `${fixed(joint.medianMicroohm, 0)} µΩ`
                      )}
                    </td>
                    <td>
                      {t.by}, {when(t.at)}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </DataTable>
        </Sheet>
      )}
      <Columns>
        <OpenPoints stage={stage} />
        <ClosingClocks stage={stage} />
      </Columns>
      <Readings stage={stage} />
    </Page>
  );
}

/** One part that goes on again, with what its joint measures. */
function PutOn({
  part,
  bag,
  photos,
  may,
  first,
  onPut,
}: {
  part: BuildPart;
  bag: number | undefined;
  photos: readonly Shown[];
  may: boolean;
  first: string;
  onPut: (figures: Partial<NewTick>) => void;
}) {
  const { job } = useJobView();
  const [typed, setTyped, clear] = useDraft(`${job.number}.put-on.${part.id}`, {
    torque: '',
    ohm: '',
    closed: [] as string[],
  });
  const [asked, setAsked] = useState(false);
  const [torqueNm, microohm] = [read(typed.torque, MOST_NM), read(typed.ohm, MOST_MICROOHM)];
  const readable = torqueNm !== undefined && microohm !== undefined;
  const go = (note?: string): void => {
    if (!readable) return;
    clear();
    onPut({
      torqueNm,
      microohm,
      ...(part.stages ? { confirmed: typed.closed } : {}),
      ...(note ? { note } : {}),
    });
  };
  const joint = part.kind === 'link' || part.kind === 'module';
  if (asked) return <Asked first={first} onGo={go} onLeave={() => setAsked(false)} />;
  return (
    <Row style={{ alignItems: 'flex-end' }}>
      <span style={{ flex: '1 1 180px', alignSelf: 'center' }}>
        <b>{partName(part)}</b>{' '}
        <Mute>
          {[
            bag === undefined ? '' : `bag ${bag}`,
            part.tool,
            part.torqueNm ? `${part.torqueNm} N·m, then the paint mark` : '',
            part.singleUse?.length ? `new: ${part.singleUse.join(', ')}` : '',
          ]
            .filter(Boolean)
            .join(' · ')}
        </Mute>
      </span>
      <PhotoStrip photos={photos} bare />
      {may && joint && (
        <Field style={{ flex: '0 1 104px' }}>
          N·m
          <Input
            className="n"
            inputMode="decimal"
            value={typed.torque}
            onChange={(e) => setTyped({ ...typed, torque: e.target.value })}
          />
          {torqueNm === undefined && <small role="alert">A figure such as 9.5.</small>}
        </Field>
      )}
      {may && part.kind === 'link' && (
        <Field style={{ flex: '0 1 104px' }}>
          µΩ
          <Input
            className="n"
            inputMode="decimal"
            value={typed.ohm}
            onChange={(e) => setTyped({ ...typed, ohm: e.target.value })}
          />
          {microohm === undefined && <small role="alert">A figure such as 52.</small>}
        </Field>
      )}
      {may &&
        part.stages?.map((s, i) => (
          <ClosedStage
            key={s}
            isSelected={typed.closed.includes(s)}
            isDisabled={i > 0 && !typed.closed.includes(part.stages![i - 1]!)}
            onChange={(yes) =>
              setTyped({
                ...typed,
                closed: yes ? [...typed.closed, s] : part.stages!.slice(0, i),
              })
            }
          >
            {i + 1} {s}
          </ClosedStage>
        ))}
      {may && (
        <Button
          quiet={first !== ''}
          isDisabled={!readable || stagesOpen(part, typed.closed).length > 0}
          onPress={() => (first === '' ? go() : setAsked(true))}
        >
          On
        </Button>
      )}
    </Row>
  );
}
