import type { Person } from '@cellmend/contract/people';
import type { Gate } from '@cellmend/contract/safety';
import { format } from 'date-fns';
import { Moon, Sun, Zap } from 'lucide-react';
import { Suspense, useState, type ReactNode } from 'react';
import { Button as AriaButton } from 'react-aria-components';
import { NavLink } from 'react-router';
import styled from 'styled-components';
import { lazily } from './lazily';
import { Me } from './Me';
import { theme } from './preferences';

export const Bar = styled.header`
  grid-column: 1 / -1;
  background: var(--mat);
  color: var(--mat-ink);
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 18px;
  min-height: 56px;
  a {
    color: inherit;
    text-decoration: none;
  }
  :focus-visible {
    outline-color: #fff;
  }
  /* Lamp, Stop and job stay in view; on a phone name and account scroll away. */
  @media (max-width: 1000px) {
    position: sticky;
    top: 0;
    z-index: 4;
    flex-wrap: wrap;
    gap: 0 12px;
    padding: 0 14px 8px;
  }
  @media (max-width: 640px) {
    top: -48px;
  }
  @media print {
    display: none;
  }
`;
export const Brand = styled(NavLink)`
  font-size: var(--t-l);
  font-weight: 700;
  letter-spacing: 0.01em;
  white-space: nowrap;
  @media (max-width: 1000px) {
    margin-right: auto;
    line-height: 48px;
  }
`;
const Nav = styled.nav`
  display: flex;
  gap: 24px;
  @media (max-width: 1000px) {
    order: 2;
    flex: 1 1 100%;
    gap: 4px 20px;
    flex-wrap: wrap;
  }
  a {
    opacity: 0.88;
    padding: 4px 0;
  }
  a.active {
    opacity: 1;
    box-shadow: 0 3px 0 #fff;
  }
`;
export const Vehicle = styled.span`
  opacity: 0.95;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
  flex: 0 1 auto;
  @media (max-width: 1000px) {
    order: 3;
    flex: 1 1 100%;
    white-space: normal;
    overflow-wrap: anywhere;
  }
`;
const Right = styled.div`
  margin-left: auto;
  display: flex;
  align-items: center;
  gap: 12px;
  flex: none;
  @media (max-width: 1000px) {
    display: contents;
  }
`;
export const Lamp = styled.span`
  display: flex;
  align-items: center;
  gap: 9px;
  background: var(--hot);
  color: var(--hot-ink);
  border-radius: 6px;
  padding: 7px 14px;
  min-height: 44px;
  font-weight: 650;
  white-space: nowrap;
  @media (max-width: 1000px) {
    order: 2;
    flex: 1;
    white-space: normal;
  }
  @media (max-width: 640px) {
    flex-basis: calc(100% - 100px);
  }
`;

const Calm = styled(Lamp)`
  background: var(--mat-ink);
  color: #0b5260;
`;
const StopButton = styled(AriaButton)`
  background: #ffffff;
  color: #14201f;
  border: 0;
  border-radius: 6px;
  min-height: 44px;
  margin: 6px 0;
  padding: 0 18px;
  font-weight: 700;
  cursor: pointer;
  @media (max-width: 1000px) {
    order: 2;
  }
`;

/** Hazard orange: the pack counts as energised until it is proven dead. */
export const SafetyLamp = ({ gate, awaySinceMs }: { gate: Gate; awaySinceMs: number | null }) =>
  gate.holds && awaySinceMs !== null ? (
    // Another tablet may have stopped the work since: what was known then is no proof now.
    <Lamp role="status">
      <Zap size={16} fill="currentColor" aria-hidden />
      Gate not known since {format(awaySinceMs, 'HH:mm')}
    </Lamp>
  ) : gate.holds && gate.proof === 'dead' && gate.provenAt ? (
    <Calm role="status">
      Proven dead {format(new Date(gate.provenAt), 'HH:mm')}{' '}
      <span style={{ fontWeight: 500 }}>halves live</span>
    </Calm>
  ) : (
    <Lamp role="status">
      <Zap size={16} fill="currentColor" aria-hidden />
      {gate.stop
        ? `Stopped: ${gate.stop.kind}`
        : gate.holds && gate.proof === 'below-60'
          ? 'Below 60 V, still live'
          : 'Not proven dead'}
    </Lamp>
  );

/** Always in reach: key S does the same. */
export const Stop = ({ onPress }: { onPress: () => void }) => (
  <StopButton onPress={onPress} aria-keyshortcuts="S">
    Stop
  </StopButton>
);

const AccountMenu = lazily<
  Parameters<(typeof import('./AccountMenu'))['AccountMenu']>[0],
  typeof import('./AccountMenu')
>(() => import('./AccountMenu'), 'AccountMenu');

/** Who is signed in, the theme, and the way out. */
export function Account({ person }: { person: Person }) {
  const [shown, setTheme] = theme.use();
  const [wanted, setWanted] = useState(false);
  const name = `${person.name}${person.hvLevel > 0 ? `, HV level ${person.hvLevel}` : ''}`;
  return (
    <>
      <Me
        onPress={() => setTheme(shown === 'day' ? 'pit' : 'day')}
        aria-label={shown === 'day' ? 'Dark theme' : 'Light theme'}
      >
        {shown === 'day' ? <Moon size={18} /> : <Sun size={18} />}
      </Me>
      <Suspense fallback={<Me onPress={() => setWanted(true)}>{name}</Me>}>
        <AccountMenu name={name} open={wanted} />
      </Suspense>
    </>
  );
}

/** Seen once it has the focus: past the head and the route to what is at hand. */
export const Skip = styled.a`
  position: absolute;
  left: 12px;
  top: -80px;
  z-index: 9;
  padding: 12px 18px;
  border-radius: 0 0 6px 6px;
  background: var(--ink);
  color: var(--sheet);
  font-weight: 650;
  &:focus {
    top: 0;
  }
`;

/** Header of the pages outside a job. */
export function WorkshopHeader({ person }: { person: Person }) {
  return (
    <Bar>
      <Brand to="/">Bold Cellmend</Brand>
      <Nav aria-label="Workshop">
        <NavLink to="/" end>
          Jobs
        </NavLink>
        <NavLink to="/vehicles">Vehicles</NavLink>
        <NavLink to="/packs">Packs</NavLink>
        <NavLink to="/stock">Stock</NavLink>
        <NavLink to="/instruments">Instruments</NavLink>
        <NavLink to="/looking-back">Looking back</NavLink>
        <NavLink to="/people">People</NavLink>
      </Nav>
      <Right>
        <Account person={person} />
      </Right>
    </Bar>
  );
}
const Frame = styled.div`
  display: grid;
  grid-template: 56px minmax(0, 1fr) / minmax(0, 1fr);
  height: 100%;
  > main {
    overflow: auto;
    min-width: 0;
  }
  @media (max-width: 1000px) {
    grid-template-rows: auto auto;
    height: auto;
  }
`;

/** A page outside a job. */
export function WorkshopFrame({ person, children }: { person: Person; children: ReactNode }) {
  return (
    <Frame>
      <Skip href="#page">Skip to the page</Skip>
      <WorkshopHeader person={person} />
      <main id="page" tabIndex={-1}>
        {children}
      </main>
    </Frame>
  );
}
export { Right };
