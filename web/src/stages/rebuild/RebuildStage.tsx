import type { NewTick } from '@cellmend/contract/stripdown';
import type { BuildPart } from '@cellmend/core/pack';
import { STAGE_FACTS } from '@cellmend/core/route';
import { judgeJoints, partName, rebuildOrder, tooEarly } from '@cellmend/core/stripdown';
import { TriangleAlert } from 'lucide-react';
import { useState } from 'react';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { Field, Input } from '../../ui/Field';
import { Answer, Button, DataTable, LinkButton, Mute, Page, PlainList, Row, Sheet } from '../../ui/parts';
import { fixed, when } from '../../ui/words';
import { Readings } from '../notes/Readings';
import type { StageProps } from '../props';
import { Asked } from '../strip-down/StripDownStage';
import { sendTick, useTicks } from '../strip-down/usePlan';

const Line = styled.li<{ $now: boolean }>`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px 14px;
  ${(p) => p.$now && 'border-left: 5px solid var(--mat-text); padding-left: 10px;'}
`;
const read = (text: string): number | null => {
  const n = Number(text.trim().replace(',', '.'));
  return text.trim() === '' || !Number.isFinite(n) || n <= 0 ? null : n;
};

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
  const on = (view?.ticks ?? []).filter((t) => !t.off && !order.some((p) => p.id === t.part));
  const newest = [...new Map(on.map((t) => [t.part, t])).values()];
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
      {order.length > 0 && (
        <PlainList aria-label="What goes on again">
          {order.map((p, i) => (
            <Line key={p.id} $now={i === 0}>
              <PutOn
                part={p}
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
                const part = pack.profile.build?.find((b) => b.id === t.part);
                return (
                  <tr key={t.id}>
                    <td>
                      <b>{part ? partName(part) : t.part}</b>
                      {joint?.remake && (
                        <>
                          {' '}
                          <TriangleAlert size={15} aria-hidden /> make it again
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
      <Readings stage={stage} />
    </Page>
  );
}

/** One part that goes on again, with what its joint measures. */
function PutOn({
  part,
  may,
  first,
  onPut,
}: {
  part: BuildPart;
  may: boolean;
  first: string;
  onPut: (figures: Partial<NewTick>) => void;
}) {
  const [torque, setTorque] = useState('');
  const [ohm, setOhm] = useState('');
  const [asked, setAsked] = useState(false);
  const figures = { torqueNm: read(torque), microohm: read(ohm) };
  const joint = part.kind === 'link' || part.kind === 'module';
  if (asked)
    return (
      <Asked first={first} onGo={(note) => onPut({ ...figures, note })} onLeave={() => setAsked(false)} />
    );
  return (
    <Row style={{ alignItems: 'flex-end' }}>
      <span style={{ flex: '1 1 180px', alignSelf: 'center' }}>
        <b>{partName(part)}</b>{' '}
        <Mute>
          {[
            part.tool,
            part.torqueNm ? `${part.torqueNm} N·m, then the paint mark` : '',
            part.singleUse?.length ? `new: ${part.singleUse.join(', ')}` : '',
          ]
            .filter(Boolean)
            .join(' · ')}
        </Mute>
      </span>
      {may && joint && (
        <Field style={{ flex: '0 1 104px' }}>
          N·m
          <Input
            className="n"
            inputMode="decimal"
            value={torque}
            onChange={(e) => setTorque(e.target.value)}
          />
        </Field>
      )}
      {may && part.kind === 'link' && (
        <Field style={{ flex: '0 1 104px' }}>
          µΩ
          <Input className="n" inputMode="decimal" value={ohm} onChange={(e) => setOhm(e.target.value)} />
        </Field>
      )}
      {may && (
        <Button quiet={first !== ''} onPress={() => (first === '' ? onPut(figures) : setAsked(true))}>
          On
        </Button>
      )}
    </Row>
  );
}
