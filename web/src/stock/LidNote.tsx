import type { Job } from '@cellmend/contract/jobs';
import type { Person } from '@cellmend/contract/people';
import { listWords } from '@cellmend/core/route';
import { Printer } from 'lucide-react';
import { useParams } from 'react-router';
import styled, { createGlobalStyle } from 'styled-components';
import { decisionOf, useJob, useSession } from '../api/hooks';
import { Awaiting } from '../shell/Awaiting';
import { WorkshopFrame } from '../shell/Header';
import { useOpenPointsOf } from '../stages/rebuild/OpenPoints';
import { Button, LinkButton, Mute, Row } from '../ui/parts';
import { day, upper } from '../ui/words';
import { Printed, Qr, Screen, Whole } from './PartLabel';

const Card = createGlobalStyle`
  @media print {
    @page { size: A6 landscape; margin: 6mm; }
    body { background: #fff; }
  }
`;
const Note = styled.article`
  width: 136mm;
  max-width: 100%;
  box-sizing: border-box;
  background: #fff;
  color: #000;
  border: 1px solid var(--edge);
  padding: 5mm;
  display: grid;
  grid-template-columns: 1fr 28mm;
  gap: 4mm;
  font-size: 11pt;
  line-height: 1.35;
  img {
    width: 28mm;
    height: 28mm;
  }
  h2 {
    font-size: 15pt;
    color: #000;
  }
  p {
    margin: 0 0 2mm;
  }
  @media (max-width: 640px) {
    grid-template-columns: 1fr;
  }
  @media print {
    border: 0;
    padding: 0;
  }
`;

/** The note that goes inside the lid: what the next person who opens this pack has to know. */
export function LidNote({ person }: { person: Person }) {
  const number = Number(useParams().number);
  const { data: job } = useJob(number);
  const { data: session } = useSession();
  const { data: points } = useOpenPointsOf(number);
  // Without its open points the note would say that all is well.
  if (!job || !points)
    return (
      <WorkshopFrame person={person}>
        <Awaiting question="Note inside the lid" />
      </WorkshopFrame>
    );
  return (
    <WorkshopFrame person={person}>
      <Card />
      <Printed>
        <Screen>
          <Row style={{ marginBottom: 14 }}>
            <h1 style={{ flex: 1 }}>Note inside the lid</h1>
            <Button onPress={() => window.print()}>
              <Printer size={18} aria-hidden />
              Print
            </Button>
            <LinkButton $quiet to={`/jobs/${number}/hand-over`}>
              To the sheet
            </LinkButton>
          </Row>
          <p>
            <Mute>A6. In a clear sleeve, away from bus-bars and vents.</Mute>
          </p>
        </Screen>
        <Note aria-label="Note inside the lid">
          <Lines job={job} workshop={session?.workshop ?? ''} open={points.filter((p) => !p.mended)} />
          <div>
            <Qr text={job.physicalPack.label} />
            <b>{job.physicalPack.label}</b>
          </div>
        </Note>
      </Printed>
    </WorkshopFrame>
  );
}

function Lines({
  job,
  workshop,
  open,
}: {
  job: Job;
  workshop: string;
  open: { id: string; what: string; place: string; text: string }[];
}) {
  const list = decisionOf(job, 'measures');
  const here = job.composition.filter((c) => c.here);
  const signed = decisionOf(job, 'hand-over');
  // What is only decided is not told as done.
  const standing = (list?.body.measures ?? []).filter((m) => m.dropped === '');
  const unfinished = standing.filter((m) => job.steps.some((s) => s.measures.includes(m.id) && !s.met));
  const done = standing.filter((m) => !unfinished.includes(m));
  return (
    <div>
      <h2>{job.pack.name}</h2>
      <p>
        {workshop}, job {job.number}, <Whole>{day(signed?.signedAt ?? new Date().toISOString())}</Whole>
      </p>
      <p>
        {!list
          ? 'Nothing is decided yet.'
          : done.length > 0
            ? `${upper(listWords(done))}.`
            : 'Nothing is on record as done inside.'}
        {unfinished.length > 0 && ` Not finished: ${listWords(unfinished)}.`}
      </p>
      {here.map((c) => (
        <p key={c.place}>
          {c.place}: <b>{c.label}</b> went in
          {job.removed.some((r) => r.place === c.place) &&
            `, ${job.removed.find((r) => r.place === c.place)!.label} came out`}
        </p>
      ))}
      {open.map((p) => (
        <p key={p.id}>
          Open: {p.what}
          {p.place && ` at ${p.place}`}
          {p.text && `, ${p.text}`}
        </p>
      ))}
      <p>Every module stays live in itself, whatever is unplugged.</p>
    </div>
  );
}
