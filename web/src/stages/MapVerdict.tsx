import type { StoredProfile } from '@cellmend/contract/pack';
import type { MapChecked } from '@cellmend/contract/scans';
import { namesInScans } from '@cellmend/core/scan';
import { useState } from 'react';
import useSWR from 'swr';
import { get } from '../api/client';
import { useJobView } from '../shell/jobContext';
import { useWrite } from '../shell/useWrite';
import { Button, DataTable, Mute, ProblemNote, Row, Stack } from '../ui/parts';

const TITLE = {
  proven: 'The map is borne out.',
  disproven: 'The map is not right.',
  'cannot-tell': 'The map is not proven.',
} as const;
/** Places shown before the rest is asked for. */
const FIRST = 6;

const percent = (share: number): string =>
  share > 0.999 ? 'more than 99.9 %' : `${(100 * share).toFixed(share > 0.1 && share < 0.99 ? 0 : 1)} %`;

/** What voltages metered at the terminals say of the pack's map; where they disprove it, the map that fits, to be signed. */
export function MapVerdict() {
  const { job, pack, person } = useJobView();
  const { data: check, mutate } = useSWR<MapChecked | null>(`/jobs/${job.number}/map-check`, get);
  const write = useWrite();
  const [all, setAll] = useState(false);
  const [asked, setAsked] = useState(false);
  if (!check) return null;
  const names = namesInScans(pack.profile);
  const moduleOf = (c: number): string =>
    pack.channels[c]!.moduleIndices.map((m) => pack.modules[m]!.id).join(' + ');
  const shown = all ? check.instead : check.instead.slice(0, FIRST);
  const correct = async (): Promise<void> => {
    const done = await write.run<StoredProfile>('/map-check', { instead: check.instead });
    setAsked(false);
    if (done) await mutate();
  };
  return (
    <Stack $gap={10} style={{ margin: '14px 0' }}>
      <p>
        <b>{TITLE[check.verdict]}</b> {check.says}{' '}
        <Mute>
          {check.metered} against {check.scan}.
        </Mute>
      </p>
      {check.odds.length > 0 && (
        <p>
          <Mute>
            How likely by these readings: {check.odds.map((o) => `${o.says} ${percent(o.share)}`).join(' · ')}
          </Mute>
        </p>
      )}
      {check.instead.length > 0 && (
        <>
          <DataTable>
            <thead>
              <tr>
                <th>Place</th>
                <th>Scans call it</th>
                <th>The meter says</th>
              </tr>
            </thead>
            <tbody>
              {shown.map(({ channelIndex, shows }) => (
                <tr key={channelIndex}>
                  <td>
                    {moduleOf(channelIndex)}, {pack.channels[channelIndex]!.id}
                  </td>
                  <td>{names[channelIndex]}</td>
                  <td>
                    <b>{names[shows]}</b>
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
          {check.instead.length > FIRST && (
            <Row>
              <Button quiet onPress={() => setAll(!all)}>
                {all ? 'Show fewer' : `Show all ${check.instead.length} places`}
              </Button>
            </Row>
          )}
          <p>
            Are two plugs of this pack exchanged? Put them right and scan again. Correct the map only where
            packs of this kind are wired so: it tells which module comes out, on every open job of this pack
            profile.
          </p>
          {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
          {!person.maySignHv ? (
            <p>
              <Mute>To be signed by somebody whose high-voltage qualification is valid.</Mute>
            </p>
          ) : (
            <Row>
              {asked ? (
                <>
                  <Button isDisabled={write.busy} onPress={() => void correct()}>
                    {write.busy ? 'Correcting …' : `Sign as ${person.name}: these places as the meter says`}
                  </Button>
                  <Button quiet isDisabled={write.busy} onPress={() => setAsked(false)}>
                    Leave the map
                  </Button>
                </>
              ) : (
                <Button onPress={() => setAsked(true)}>Correct the map …</Button>
              )}
            </Row>
          )}
        </>
      )}
    </Stack>
  );
}
