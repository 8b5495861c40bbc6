import type { StockPart } from '@cellmend/contract/stock';
import { useState } from 'react';
import { useJobView } from '../../shell/jobContext';
import { SignNote } from '../../shell/signing';
import { Answer, Button, Mute, NextBar, Page, Stack } from '../../ui/parts';
import { Donor, Told } from './DonorCard';
import { useChoice, type PlaceProps } from './useChoice';

/** Without a scan nothing can be ranked: what fits is said, the choice is the technician's. */
export function Unranked({ question, place, pick, places, donors }: PlaceProps) {
  const { job, pack } = useJobView();
  const { signing, signed, sign } = useChoice(place, places);
  const module = pack.modules.find((m) => m.id === place)!;
  const [picked, setPicked] = useState<string | null>(signed?.partId ?? null);
  const fits = (s: StockPart): boolean =>
    (s.chemistry ?? pack.profile.chemistry) === pack.profile.chemistry &&
    (s.groupCount ?? module.groupIndices.length) === module.groupIndices.length &&
    (s.reserved === null || s.reserved.job === job.number);
  const chosen = donors.find((d) => d.id === picked);
  return (
    <Page>
      <h1>{question}</h1>
      {pick}
      <Answer tone="suspect" title={`Nothing is ranked for ${place}: nothing was scanned`}>
        Chemistry and groups are compared; whether it is a twin of the rest is open.
      </Answer>
      <Stack $gap={8} role="group" aria-label="Donor modules">
        {donors.map((s) => (
          <Donor
            key={s.id}
            $picked={picked === s.id}
            isDisabled={!fits(s)}
            aria-pressed={picked === s.id}
            onPress={() => setPicked(s.id)}
          >
            <div>
              <div className="label n">{s.label}</div>
              <div className="rank">{fits(s) ? s.place.kind : 'does not fit'}</div>
            </div>
            <div>
              <dl>
                <Told name="Capacity" value={s.capacityAh} unit="A·h" digits={1} taken={s.taken.capacityAh} />
                <Told
                  name="Resistance per group"
                  value={s.resistanceMilliohm}
                  unit="mΩ"
                  digits={2}
                  taken={s.taken.resistanceMilliohm}
                />
                <Told
                  name="Rest voltage"
                  value={s.restVoltageV}
                  unit="V"
                  digits={2}
                  taken={s.taken.restVoltageV}
                />
              </dl>
              <p>
                <Mute>{s.origin}</Mute>
              </p>
            </div>
          </Donor>
        ))}
      </Stack>
      <SignNote signing={signing} />
      <NextBar>
        <div>
          <b>{chosen ? `${chosen.label} for ${place}` : 'Pick a donor'}</b>
        </div>
        <Button
          isDisabled={!chosen || !signing.may || signing.busy}
          onPress={() => void sign(chosen!.id, [])}
        >
          {signed ? 'Sign again' : 'Sign choice'}
        </Button>
      </NextBar>
    </Page>
  );
}
