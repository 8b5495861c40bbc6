import { ENTRY_ADVICE, type InsulationObservation } from '@cellmend/core/insulation';
import type { Stage } from '@cellmend/core/route';
import { partName, buildOf } from '@cellmend/core/stripdown';
import { useState } from 'react';
import { leakOf, useInsulation } from '../../api/hooks';
import { PhotoButton, PhotoStrip, usePhotos } from '../../photos/Photos';
import { useJobView } from '../../shell/jobContext';
import { Button, Mute, Row, Sheet, Stack } from '../../ui/parts';
import { percent } from '../../ui/words';
import { SeenForm } from '../work/SeenForm';

type Seen = Extract<InsulationObservation, { kind: 'seen' }>;

/** What the pack shows as it comes apart: photographs, what was seen at which place, and where it points. */
export function SeenOnTheWay({ stage }: { stage: Stage }) {
  const { job, pack, findings, person, selected } = useJobView();
  const { data: entries } = useInsulation(job.number);
  const photos = usePhotos();
  const [open, setOpen] = useState(false);
  const seen = (entries ?? []).flatMap((e) =>
    e.observation.kind === 'seen' && e.supersededBy === null ? [e.observation] : [],
  );
  const leak = leakOf(findings)?.report ?? null;
  const names = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  const byModule = new Map<string, string[]>();
  for (const s of seen) byModule.set(s.module, [...(byModule.get(s.module) ?? []), words(s)]);
  const [first] = leak?.ways?.rows ?? [];
  const place = selected === null ? '' : pack.modules[selected]!.id;
  return (
    <Sheet aria-label="Seen on the way" style={open ? { gridColumn: '1 / -1' } : undefined}>
      <Stack $gap={8}>
        <Row style={{ flexWrap: 'wrap' }}>
          <h3 style={{ flex: '1 1 100%' }}>Seen on the way</h3>
          <PhotoButton place={place} stage={stage} label={`Photo${place && ` ${place}`}`} />
          {person.mayWrite && (
            <Button quiet aria-expanded={open} onPress={() => setOpen(!open)}>
              {open ? 'Close' : 'What is seen'}
            </Button>
          )}
        </Row>
        <PhotoStrip photos={photos.slice(0, 12)} nameOf={(id) => names.get(id) ?? id} />
        {seen.length === 0 && photos.length === 0 && (
          <Mute>
            Nothing yet. Water lines, rust, residue, swelling, bent plates; clean and dry counts too.
          </Mute>
        )}
        {[...byModule].map(([module, what]) => (
          <span key={module}>
            {module} <b>{what.join(', ')}</b>
          </span>
        ))}
        {first ? (
          <span>
            In by {ENTRY_ADVICE[first.entry.kind].name} {first.entry.id}: <b>{percent(first.share)}</b>.{' '}
            <Mute>{ENTRY_ADVICE[first.entry.kind].check}</Mute>
          </span>
        ) : (
          leak?.entry && <b>{leak.entry}</b>
        )}
        {open && <SeenForm leak={leak} />}
      </Stack>
    </Sheet>
  );
}

const words = (s: Seen): string => `${s.degree && s.degree !== 'clear' ? `${s.degree} ` : ''}${s.evidence}`;
