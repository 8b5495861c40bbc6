import { findingOf } from '@cellmend/contract/findingOf';
import type { Job } from '@cellmend/contract/jobs';
import type { Check } from '@cellmend/contract/records';
import { deltaReadsMv, isProof, proofFacts, proofWords } from '@cellmend/core/prove';
import {
  checkAsks,
  EVIDENCE,
  MEASURES,
  measureState,
  measureWords,
  placesOf,
  type Ending,
  type MeasureState,
} from '@cellmend/core/route';
import { verdictName } from '@cellmend/core/diagnosis';
import type { InsulationReport } from '@cellmend/core/insulation';
import { buildOf, jointHistory, judgeJoints, partName } from '@cellmend/core/stripdown';
import { factsOf, type Measured } from '@cellmend/core/pack';
import { decisionOf, leakOf, spreadOf, useChecks, useSafety, useStock } from '../../api/hooks';
import styled from 'styled-components';
import { usePhotos } from '../../photos/Photos';
import { useJobView } from '../../shell/jobContext';
import { useOpenPointsOf } from '../rebuild/OpenPoints';
import { DataTable, Unseen } from '../../ui/parts';
import { distance, distanceUnit, inDistance, toldRoad } from '../../ui/units';
import { asRead, dated, day, fixed, percent, sentence, signed, upper } from '../../ui/words';
import { chargeDigits, Figure } from '../../ui/Measured';
import { useTicks } from '../strip-down/usePlan';
import { earlierWords } from '../earlierWords';
import { magnitude, suspectsOf } from '../findings/view';

/** What of Make safe belongs on a sheet, with its words. */
const EVIDENCE_WORDS = new Map([
  ['look', 'Seen on arrival'],
  ['crash-inspection', 'Seen on arrival'],
  ['quarantine', 'Kept'],
  ['live-dead-live', 'Proof before work'],
  ['pyro-evidence', 'Pyro fuse'],
  ['insulation-evidence', 'Insulation'],
  ['group-voltages', 'Lowest group'],
]);

/** What a check of the work asked and was done of it. */
const asksOf = ({ check, left }: Check, photographed: boolean): string => {
  if (isProof(check)) return proofFacts(check).asks;
  const asked = EVIDENCE[check].check;
  // Whoever passed it may have photographed elsewhere: the sheet speaks of what is on record.
  return asked
    ? checkAsks(asked, [...(left ?? []), ...(photographed ? [] : ['photographed'])])
    : EVIDENCE[check].need;
};

/** Whoever signed, and the high-voltage qualification behind the name: by whom it was certified, or that nobody has. */
export function Signers({ signers }: { signers: Job['signers'] }) {
  const shown = signers.filter((s) => s.level > 0);
  if (shown.length === 0) return null;
  return (
    <section>
      <h2>High-voltage qualification</h2>
      {shown.map((s) => (
        <p key={s.name}>
          {s.name}: level {s.level}
          {s.until && `, valid until ${day(s.until)}`}
          {s.selfDeclared
            ? '. Self-declared; not countersigned by anybody.'
            : s.certificate
              ? `. ${s.certificate}.`
              : '.'}
        </p>
      ))}
    </section>
  );
}

/** What proves the repair by what was wrong: what was seen, and what was not, as it stands. */
export function Proven({ ending }: { ending: Ending | null }) {
  const { job } = useJobView();
  const signed = decisionOf(job, 'prove')?.body;
  // A repair that goes back says what was not seen, whether somebody signed under it or not.
  if (job.proofs.length === 0 || (!signed && ending !== 'repaired')) return null;
  const seen = job.proofs.filter((p) => p.state === 'pass');
  const left = job.proofs.filter((p) => p.state !== 'pass');
  return (
    <>
      {seen.length > 0 && (
        <section>
          <h2>Proven by</h2>
          {seen.map((p) => (
            <p key={`${p.id} ${p.place}`}>{toldRoad(proofWords(p))}</p>
          ))}
        </section>
      )}
      {left.length > 0 && (
        <section>
          <h2>Not proven yet</h2>
          {left.map((p) => (
            <p key={`${p.id} ${p.place}`}>{toldRoad(proofWords(p))}</p>
          ))}
          {signed?.open && <p>Signed all the same: {signed.open}</p>}
        </section>
      )}
    </>
  );
}

/** What it came with: the complaint, what it did, its codes, what had been changed before. Whoever goes on with it needs all of that. */
export function Came() {
  const { job } = useJobView();
  const intake = decisionOf(job, 'intake')?.body;
  const signs = intake?.signs ?? [];
  return (
    <section>
      <h2>What was wrong</h2>
      <p>{(intake?.complaint ?? job.complaint) || 'No complaint was written down.'}</p>
      {signs.length > 0 && <p>{upper(signs.join(', '))}.</p>}
      {intake && intake.codes.length > 0 && <p>Codes it came with: {intake.codes.join(', ')}.</p>}
      {job.earlier.map((e) => (
        <p key={e.number}>{earlierWords(e, intake?.odometerKm ?? null)}</p>
      ))}
      {intake?.earlierRepair && <p>Done before: {intake.earlierRepair.replace(/\.$/, '')}.</p>}
    </section>
  );
}

/** What insulation showed: what had leaked first, then how it is now; what the vehicle itself shows where nothing else was measured. */
function leakWords({
  title,
  text,
  before,
  vehicle,
  tests,
  parts,
  location,
  found,
}: InsulationReport): string[] {
  if (tests.length + parts.length === 0 && !location && !found && !before)
    return vehicle ? [`The vehicle’s own insulation figure: ${vehicle.text}`] : [];
  const now = before
    ? text.replace(` Before: ${before.title.replace(/^At/, 'at')}, which went out.`, '')
    : text;
  return [
    ...(before ? [sentence(`Leak ${before.title.replace(/^At/, 'at')}: it went out`)] : []),
    `${before ? 'Now: ' : ''}${title}. ${now}`,
  ];
}

/** What was found, as far as anything was looked at. */
export function Found() {
  const { findings } = useJobView();
  const before = spreadOf(findings, 'before');
  const leak = leakOf(findings);
  const suspects = before ? suspectsOf(before.report) : [];
  const beyond = before && before.report.pack.verdict !== 'ok' ? before.report.pack : null;
  return (
    <section>
      <h2>What was found</h2>
      {beyond && (
        <p>
          The whole pack is {beyond.verdict}. {beyond.reasons.join(' ')}
        </p>
      )}
      {leak && leakWords(leak.report).map((w) => <p key={w}>{w}</p>)}
      {suspects.map((s) => (
        <p key={s.key}>
          {s.module}: {verdictName(s.verdict)}
          {magnitude(s.worst) && `, ${magnitude(s.worst)}`}
          {s.confidence !== null && `, ${percent(s.confidence)} sure`}.
        </p>
      ))}
      {before && suspects.length === 0 && !beyond && <p>No channel stood out.</p>}
      {!before && <p>Nothing was scanned: how the groups compare was not looked at.</p>}
    </section>
  );
}

/** How far a repair is, at the end of its line; nothing where it is proven. */
const STATE_WORDS: Record<MeasureState, string> = {
  open: ' Not finished.',
  done: ' Done; not proven by a comparison.',
  proven: '',
};

/** What was done, line by line, or what mending it would take. */
export function Done({ ending }: { ending: Ending }) {
  const { job, findings } = useJobView();
  const { data: checks } = useChecks(job.number);
  const photos = usePhotos();
  /** Of the place itself, or of the pack as a whole. */
  const photographed = (place: string): boolean => photos.some((p) => p.place === place || p.place === '');
  const decision = decisionOf(job, 'measures');
  const list = decision?.body.measures ?? [];
  const repairs = list.filter((m) => MEASURES[m.kind].ends === 'repaired');
  const state = (id: string): MeasureState => measureState(job.steps, id);
  const standing = list.filter((m) => m.dropped === '');
  const finished = standing.filter((m) => MEASURES[m.kind].ends === 'repaired' && state(m.id) !== 'open');
  const lines = decisionOf(job, 'balance')?.body.lines ?? [];
  const here = job.composition.filter((c) => c.here);
  const choices = decisionOf(job, 'match')?.body.choices ?? [];
  const { data: stock } = useStock();
  /** Names the part that was chosen for a place, where another went in. */
  const notChosen = (place: string, partId: string): string => {
    const choice = choices.find((c) => c.place === place);
    if (!choice || choice.partId === partId) return '';
    const label = [
      ...(stock ?? []).map((s) => [s.id, s.label]),
      ...job.composition.map((c) => [c.partId, c.label]),
    ].find(([id]) => id === choice.partId)?.[1];
    return ` (chosen was ${label ?? 'another part'})`;
  };
  const undone = repairs.filter((m) => !finished.includes(m));
  const declined = ending === 'declined' && (
    <section>
      <h2>{finished.length > 0 ? 'The rest was declined' : 'Not repaired'}</h2>
      <p>
        The owner declined.
        {undone.length > 0 && ` Mending it would take: ${undone.map(measureWords).join('; ')}.`}{' '}
        {decision?.note}
      </p>
    </section>
  );
  if (declined && finished.length === 0) return declined;
  const newest = (checks ?? []).filter(
    (c, i, all) => all.findIndex((k) => k.check === c.check && k.place === c.place) === i,
  );
  return (
    <>
      <section>
        <h2>{finished.length > 0 ? 'What was done' : 'What was decided'}</h2>
        {decision?.body.elsewhere && (
          <p>The work inside the pack was not done here: {decision.body.elsewhere}.</p>
        )}
        {(ending === 'declined' ? finished : standing).map((m) => {
          const part = here.find((c) => c.place === m.place);
          const out = job.removed.find((r) => r.place === m.place);
          const line = lines.find((l) => l.place === m.place);
          const plan = part ? findingOf(findings, 'balance', part.partId)?.result : undefined;
          return (
            <p key={m.id}>
              {upper(measureWords(m))}
              {m.why && ` (${m.why})`}
              {part && `: ${part.label} went in${notChosen(m.place, part.partId)}`}
              {out && `${part ? ',' : ':'} ${out.label} came out, ${out.to}`}.
              {part?.moved
                ? ` ${fixed(Math.abs(part.moved.ah), 1)} A·h were ${part.moved.ah > 0 ? 'put in' : 'taken out'} to level it (${part.moved.by}, ${dated(part.moved.at)}).`
                : ''}
              {plan && line && !part?.moved && plan.direction !== 'none'
                ? ` It had to be ${plan.direction === 'charge' ? 'charged' : 'discharged'} by ${plan.atMost ? 'at most ' : ''}${fixed(plan.chargeAh, 1)} ± ${fixed(plan.chargeHalfWidthAh, 1)} A·h to ${fixed(plan.targetModuleV, 2)} V ${line.method === 'supply' ? `at ${fixed(line.currentA, 1)} A` : 'by the bleeders'}; that it was is not on record.`
                : ''}
              {part?.differs && ` It differs from the pack’s own modules: ${part.differs}. ${part.by}.`}
              {MEASURES[m.kind].ends === 'repaired' && STATE_WORDS[state(m.id)]}
              {MEASURES[m.kind].ends !== 'repaired' && state(m.id) === 'open' && ' Not finished.'}
            </p>
          );
        })}
        {decision?.note && ending !== 'declined' && <p>{decision.note}</p>}
        {newest
          .filter((c) => !isProof(c.check))
          .reverse()
          .map((c) => (
            <p key={c.id}>
              {c.place ? `${c.place}: ` : ''}
              {sentence(
                [
                  `${asksOf(c, photographed(c.place))}, ${c.passed ? 'passed' : 'not passed'}`,
                  ...(c.value === null ? [] : [`, ${asRead(c.value)} ${c.unit}`]),
                  ...(c.text ? [`. ${c.text}`] : []),
                ].join(''),
              )}{' '}
              {c.by}, {dated(c.at)}.
            </p>
          ))}
      </section>
      {declined}
    </>
  );
}

/** Joints that were measured as they were made: those made anew before and after, and one beside its like. */
export function Joints() {
  const { job, pack } = useJobView();
  const { view } = useTicks();
  const parts = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  const history = jointHistory(view?.ticks ?? []);
  const judged = judgeJoints(
    history.map((h) => ({
      joint: h.joint,
      kind: pack.profile.links?.find((l) => l.id === h.joint)?.kind ?? 'other',
      microohm: h.lastMicroohm,
    })),
  );
  if (history.length === 0) return null;
  const like = (joint: string): string => {
    const median = judged.find((j) => j.joint === joint)?.medianMicroohm;
    return median == null ? '' : `, similar joints ${fixed(median, 0)} µΩ`;
  };
  const remade = history.filter((h) => h.remade);
  const rest = history.filter((h) => !h.remade);
  return (
    <section aria-label={`Joints of job ${job.number}`}>
      <h2>Joints</h2>
      {remade.map((h) => (
        <p key={h.joint}>
          {parts.get(h.joint) ?? h.joint}: {fixed(h.firstMicroohm, 0)} µΩ before, remade,{' '}
          {fixed(h.lastMicroohm, 0)} µΩ after{like(h.joint)}
          {h.torqueNm !== null && `, ${fixed(h.torqueNm, 1)} N·m`}.
        </p>
      ))}
      {rest.length > 0 && (
        <p>
          Measured when tightened:{' '}
          {rest.map((h) => `${parts.get(h.joint) ?? h.joint} ${fixed(h.lastMicroohm, 0)} µΩ`).join(', ')}.
        </p>
      )}
      {judged.some((j) => j.remake) && (
        <p>
          More than twice the resistance of similar joints:{' '}
          {judged
            .filter((j) => j.remake)
            .map((j) => parts.get(j.joint) ?? j.joint)
            .join(', ')}
          .
        </p>
      )}
    </section>
  );
}

interface MeasuredRow {
  name: string;
  unit: string;
  before: number | Measured | null | undefined;
  after: number | Measured | null | undefined;
  /** A bare figure is read to this. */
  within?: number;
}

/** What was measured before and after; a figure that nobody measured is told as that. */
export function MeasuredTable() {
  const { job, findings, pack } = useJobView();
  const before = spreadOf(findings, 'before')?.report;
  const after = spreadOf(findings, 'after')?.report;
  const compared = findingOf(findings, 'prove')?.result;
  const prove = decisionOf(job, 'prove');
  const replaced = placesOf(decisionOf(job, 'measures')?.body.measures ?? [], 'replace-module');
  if (!before && !after) return null;
  const { ratedRangeKm, ratedCapacityAh } = pack.profile;
  const within = deltaReadsMv(factsOf(pack.profile.chemistry).sensorStepV);
  const rows: MeasuredRow[] = [
    {
      name: 'Delta near full',
      unit: 'mV',
      before: before?.nearFull?.deltaMv,
      after: after?.nearFull?.deltaMv,
      within,
    },
    {
      name: 'Delta near empty',
      unit: 'mV',
      before: before?.nearEmpty?.deltaMv,
      after: after?.nearEmpty?.deltaMv,
      within,
    },
    {
      name: `Usable charge, rated ${fixed(ratedCapacityAh, chargeDigits(ratedCapacityAh))} A·h`,
      unit: 'A·h',
      before: before?.usableAh,
      after: after?.usableAh,
    },
    ...(ratedRangeKm
      ? [
          {
            name: `Range by charge, rated ${distance(ratedRangeKm)}`,
            unit: distanceUnit(),
            before: before && inDistance(before.usableKm),
            after: after && inDistance(after.usableKm),
          },
        ]
      : []),
  ];
  return (
    <section>
      <h2>Measured</h2>
      <DataTable>
        <thead>
          <tr>
            <th>
              <Unseen>Figure</Unseen>
            </th>
            {before && <th className="r">{after ? 'Before' : 'As it stands'}</th>}
            {after && <th className="r">After</th>}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.name}>
              <td>{r.name}</td>
              {before && <Cell value={r.before} unit={r.unit} within={r.within} />}
              {after && <Cell value={r.after} unit={r.unit} within={r.within} />}
            </tr>
          ))}
        </tbody>
      </DataTable>
      {compared && (
        <p>
          {compared.verdict}
          {compared.newcomers?.map((n) => ` ${n.says}`)}
          {!compared.newcomers &&
            compared.replacedNearEmptyMv !== null &&
            ` ${replaced.join(', ')} lies ${signed(compared.replacedNearEmptyMv, 0)} mV against the rest when low.`}{' '}
          {prove
            ? prove.body.passed
              ? `Signed as proven by ${prove.signedBy}.`
              : `Signed as not proven by ${prove.signedBy}.`
            : ''}
        </p>
      )}
    </section>
  );
}
function Cell({
  value,
  unit,
  within,
}: {
  value: MeasuredRow['before'];
  unit: string;
  within: number | undefined;
}) {
  return (
    <td className="r">
      {value === null || value === undefined ? (
        'not measured'
      ) : typeof value === 'number' ? (
        `${fixed(value, 0)}${within === undefined ? '' : ` ± ${fixed(within, 0)}`} ${unit}`
      ) : (
        <Figure
          of={value}
          unit={unit}
          digits={unit === 'A·h' && value.measured ? chargeDigits(value.value) : 0}
        />
      )}
    </td>
  );
}

/** Proof before work and evidence that was kept. */
export function SafetyEvidence() {
  const { job } = useJobView();
  const { data: safety } = useSafety(job.number);
  const kept = (safety?.evidence ?? []).filter((e) => EVIDENCE_WORDS.has(e.kind) && !e.supersededBy);
  if (kept.length === 0) return null;
  return (
    <section>
      <h2>Made safe, and evidence kept</h2>
      {kept.map((e) => (
        <p key={e.id}>
          {EVIDENCE_WORDS.get(e.kind)}: {e.says.replace(/\.$/, '')}. {e.by}, {dated(e.at)}.
        </p>
      ))}
    </section>
  );
}

/** What came out and where it went. */
export function PartsOut() {
  const { job } = useJobView();
  const elsewhere = decisionOf(job, 'measures')?.body.elsewhere;
  return (
    <section>
      <h2>Parts that came out</h2>
      {job.removed.length === 0 && (
        <p>{elsewhere ? `Not known here: the work inside was done elsewhere (${elsewhere}).` : 'None.'}</p>
      )}
      {job.removed.map((r) => (
        <p key={`${r.label}${r.to}`}>
          {r.label} from {r.place}: {r.to === 'shelf' ? 'kept on the shelf' : r.to}
          {r.reason && `, ${r.reason}`}
          {r.proof && ` (${r.proof})`}.
        </p>
      ))}
    </section>
  );
}

/** What the repair leaves behind, as long as nobody put it right. */
export function LeftOpen() {
  const { job, pack } = useJobView();
  const { data } = useOpenPointsOf(job.number);
  const standing = (data ?? []).filter((p) => !p.mended);
  if (standing.length === 0) return null;
  const names = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  return (
    <section>
      <h2>Open points</h2>
      {standing.map((p) => (
        <p key={p.id}>
          {upper(p.what)}
          {p.place && `, ${names.get(p.place) ?? p.place}`}
          {p.text && `: ${p.text}`}. {p.by}, {dated(p.at)}.
        </p>
      ))}
    </section>
  );
}

const Two = styled.div`
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
  figure {
    margin: 0;
  }
  img {
    width: 100%;
    max-height: 260px;
    object-fit: cover;
    border-radius: 3px;
    display: block;
  }
  figcaption {
    font-size: var(--t-xs);
  }
`;
/** The first and the last photograph: how it was found, and how it was left. */
export function Pictures() {
  const { pack } = useJobView();
  const photos = usePhotos().filter((p) => !p.waits);
  if (photos.length === 0) return null;
  const names = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  const two = photos.length > 1 ? [photos.at(-1)!, photos[0]!] : photos;
  return (
    <section>
      <h2>Pictures</h2>
      <Two>
        {two.map((p) => (
          <figure key={p.id}>
            <img src={`/api/photos/${p.id}`} alt={p.note || `Photograph of ${p.place || 'the pack'}`} />
            <figcaption>
              {p.place === '' ? 'Pack' : (names.get(p.place) ?? p.place)}
              {p.note && `: ${p.note}`}, {dated(p.at)}
            </figcaption>
          </figure>
        ))}
      </Two>
    </section>
  );
}
