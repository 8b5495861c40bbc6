import type { Person } from '@cellmend/contract/people';
import type { StoredProfile } from '@cellmend/contract/pack';
import { chemistryName, factsOf, defaultOcvTable, type PackProfile } from '@cellmend/core/pack';
import { Link } from 'react-router';
import styled from 'styled-components';
import useSWR from 'swr';
import { get, send } from '../api/client';
import { WorkshopFrame } from '../shell/Header';
import { Button, DataTable, Mute, Page, Row, Sheet } from '../ui/parts';
import { when } from '../ui/words';
import { useOnward } from '../shell/useOnward';

const Name = styled(Link)`
  font-weight: 650;
  font-size: var(--t-l);
`;
export const usePacks = () => useSWR<StoredProfile[]>('/packs', get);

/** The smallest sound profile, as a place to begin. */
const beginner = (name: string): PackProfile => ({
  name,
  chemistry: 'nmc',
  ratedCapacityAh: 50,
  channels: Array.from({ length: 12 }, (_, i) => ({ id: `ch${String(i + 1).padStart(2, '0')}`, cells: 1 })),
  modules: [1, 2].map((m) => ({
    id: `M0${m}`,
    channels: Array.from({ length: 6 }, (_, i) => `ch${String((m - 1) * 6 + i + 1).padStart(2, '0')}`),
    place: { tier: 0, row: m - 1, column: 0 },
  })),
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
  links: [{ id: 'L1', between: ['M01', 'M02'], kind: 'service-disconnect' }],
});

export function Packs({ person }: { person: Person }) {
  const { data } = usePacks();
  const onward = useOnward();
  const make = async (): Promise<void> => {
    const made = await send<StoredProfile>('POST', '/packs', {
      profile: beginner('New pack'),
      baseVersion: 0,
    });
    onward(`/packs/${made.id}`);
  };
  return (
    <WorkshopFrame person={person}>
      <Page>
        <Row>
          <h1 style={{ flex: 1 }}>Which packs does this workshop know?</h1>
          {person.mayWrite && <Button onPress={() => void make()}>New profile</Button>}
        </Row>
        <Sheet>
          <DataTable>
            <thead>
              <tr>
                <th>Pack</th>
                <th>Chemistry</th>
                <th className="r">Groups</th>
                <th className="r">Channels</th>
                <th className="r">Modules</th>
                <th className="r">Nominal</th>
                <th className="r">Jobs</th>
                <th>Saved</th>
              </tr>
            </thead>
            <tbody>
              {(data ?? []).map((p) => {
                const groups = p.profile.channels.reduce((n, c) => n + c.cells, 0);
                return (
                  <tr key={p.id}>
                    <td>
                      <Name to={`/packs/${p.id}`}>{p.name}</Name>
                    </td>
                    <td>{chemistryName(p.profile.chemistry)}</td>
                    <td className="r">{groups}</td>
                    <td className="r">{p.profile.channels.length}</td>
                    <td className="r">{p.profile.modules.length}</td>
                    <td className="r">
                      {(groups * factsOf(p.profile.chemistry).cell.nominalV).toFixed(0)} V
                    </td>
                    <td className="r">{p.jobs}</td>
                    <td>
                      <Mute>
                        version {p.version}, {when(p.updatedAt)}
                      </Mute>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </DataTable>
        </Sheet>
      </Page>
    </WorkshopFrame>
  );
}
