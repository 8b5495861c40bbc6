import type { Person } from '@cellmend/contract/people';
import type { StockPart } from '@cellmend/contract/stock';
import type { Taken } from '@cellmend/core/match';
import { chemistryName } from '@cellmend/core/pack';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { Link, useParams } from 'react-router';
import styled from 'styled-components';
import { useStock } from '../api/hooks';
import { WorkshopFrame } from '../shell/Header';
import { Chips } from '../ui/Chips';
import { Button, DataTable, Mute, Page, Row, Sheet } from '../ui/parts';
import { temperature } from '../ui/units';
import { daysAgo, fixed, ohms, upper } from '../ui/words';
import { PartPanel } from './PartPanel';
import { TakeIn } from './TakeIn';

const Name = styled(Link)`
  font-weight: 650;
  font-size: var(--t-l);
  display: inline-block;
  min-height: 28px;
  white-space: nowrap;
`;
const PLACES = ['all', 'shelf', 'bench', 'quarantine'] as const;

/** A figure, or that nobody measured it. */
const told = (value: number | null, digits: number, unit: string): string =>
  value === null ? '–' : `${fixed(value, digits)} ${unit}`;

/** When a figure was measured, and how warm the part was. */
function At({ taken, of }: { taken: Taken | undefined; of: number | null }) {
  if (of === null) return null;
  if (!taken) return <Small>day not known</Small>;
  return (
    <Small>
      {daysAgo(taken.at)}
      {taken.temperatureC !== null && `, ${temperature(taken.temperatureC)}`}
    </Small>
  );
}
/** A cell after figures on the right of theirs; on a phone it stands below them as the others do. */
const Apart = styled.td`
  @media (min-width: 641px) {
    && {
      padding-left: 24px;
    }
  }
`;
const Small = styled(Mute)`
  display: block;
  font-size: var(--t-xs);
  white-space: nowrap;
`;

const what = (p: StockPart): string =>
  [
    p.name ? upper(p.name) : upper(p.kind),
    p.chemistry && chemistryName(p.chemistry),
    p.groupCount && `${p.groupCount} groups`,
    p.revision && `revision ${p.revision}`,
  ]
    .filter(Boolean)
    .join(', ');

/** Everything in the workshop that is in no pack: shelf, bench and quarantine. */
export function Stock({ person }: { person: Person }) {
  const { data } = useStock();
  const { id } = useParams();
  const [place, setPlace] = useState<(typeof PLACES)[number]>('all');
  const [taking, setTaking] = useState(false);
  const rows = (data ?? [])
    .filter((p) => place === 'all' || p.place.kind === place)
    .sort((a, b) => a.label.localeCompare(b.label, undefined, { numeric: true }));
  return (
    <WorkshopFrame person={person}>
      <Page>
        <Row>
          <h1 style={{ flex: 1 }}>Which parts are at hand?</h1>
          {person.mayWrite && !taking && <Button onPress={() => setTaking(true)}>Take in</Button>}
        </Row>
        {taking && <TakeIn onDone={() => setTaking(false)} />}
        {id && <PartPanel key={id} id={id} person={person} />}
        <Chips
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[place]}
          onSelectionChange={(k) => setPlace([...k][0] as typeof place)}
          aria-label="Where"
        >
          {PLACES.map((p) => (
            <ToggleButton key={p} id={p}>
              {p === 'all'
                ? `All ${data?.length ?? ''}`
                : `${upper(p)} ${data?.filter((d) => d.place.kind === p).length ?? ''}`}
            </ToggleButton>
          ))}
        </Chips>
        <Sheet>
          {data && rows.length === 0 ? (
            <p>
              Nothing here yet.{' '}
              <Mute>Take in a donor module, a whole donor pack as a list, or what a job salvages.</Mute>
            </p>
          ) : (
            <DataTable>
              <thead>
                <tr>
                  <th>Part</th>
                  <th>What it is</th>
                  <th className="r">Capacity</th>
                  <th className="r">Resistance</th>
                  <th className="r">Rest voltage</th>
                  <th className="r">Insulation</th>
                  <Apart as="th">Where</Apart>
                </tr>
              </thead>
              <tbody>
                {rows.map((p) => (
                  <tr key={p.id}>
                    <td>
                      <Name className="n" to={`/stock/${p.id}`}>
                        {p.label}
                      </Name>
                    </td>
                    <td>
                      {what(p)}
                      {p.origin && (
                        <>
                          <br />
                          <Mute>{p.origin}</Mute>
                        </>
                      )}
                    </td>
                    <td className="r">
                      {told(p.capacityAh, 1, 'A·h')}
                      <At taken={p.taken.capacityAh} of={p.capacityAh} />
                    </td>
                    <td className="r">
                      {told(p.resistanceMilliohm, 2, 'mΩ')}
                      <At taken={p.taken.resistanceMilliohm} of={p.resistanceMilliohm} />
                    </td>
                    <td className="r">
                      {told(p.restVoltageV, 2, 'V')}
                      <At taken={p.taken.restVoltageV} of={p.restVoltageV} />
                    </td>
                    <td className="r">
                      {p.insulationOhm === null ? '–' : ohms(p.insulationOhm)}
                      <At taken={p.taken.insulationOhm} of={p.insulationOhm} />
                    </td>
                    <Apart>
                      {upper(p.place.kind)}
                      {p.reserved && (
                        <>
                          <br />
                          <Mute>
                            held for {p.reserved.place} of job {p.reserved.job}
                          </Mute>
                        </>
                      )}
                    </Apart>
                  </tr>
                ))}
              </tbody>
            </DataTable>
          )}
        </Sheet>
      </Page>
    </WorkshopFrame>
  );
}
