import type { Stage } from '@cellmend/core/route';
import { CircleAlert, CloudOff, Footprints } from 'lucide-react';
import { useRef, useSyncExternalStore, type RefObject } from 'react';
import { Dialog, DialogTrigger } from 'react-aria-components';
import styled from 'styled-components';
import { discard, isMine, sendAsMine, subscribe, waitingNow } from '../api/queue';
import { Mute } from '../ui/parts';
import { Clocks } from './Clocks';
import { Kbd, Pop, Tool } from './footerParts';
import { AskedLines } from './AskedLines';
import { JotLine } from './JotLine';
import { useJobView } from './jobContext';

const Bar = styled.footer`
  grid-column: 1 / -1;
  background: var(--chip);
  border-top: 1px solid var(--line);
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 18px;
  font-size: var(--t-s);
  min-width: 0;
  position: relative;
  @media (max-width: 1000px) {
    position: sticky;
    bottom: 0;
    z-index: 4;
    flex-wrap: wrap;
    gap: 4px 14px;
    padding: 6px 14px;
  }
  @media print {
    display: none;
  }
`;
/** A key is shown to whoever has a keyboard. */
const Key = styled(Kbd)`
  @media (max-width: 640px) {
    display: none;
  }
`;
/** Keys are for who has a keyboard. */
const KeysTool = styled(Tool)`
  @media (max-width: 640px) {
    display: none;
  }
`;
const Wait = styled(Tool)`
  font-weight: 650;
  color: var(--ink);
  svg {
    flex: none;
  }
`;
/** Entries that have not reached the server yet, and those it refused. */
export function WaitingEntries() {
  const waiting = useSyncExternalStore(subscribe, waitingNow, waitingNow);
  if (waiting.length === 0) return null;
  const refused = waiting.filter((w) => w.refused).length;
  return (
    <DialogTrigger>
      <Wait>
        {refused > 0 ? <CircleAlert size={18} /> : <CloudOff size={18} />}
        {refused > 0 ? `${refused} refused` : `${waiting.length} waiting`}
      </Wait>
      <Pop>
        <Dialog aria-label="Entries not stored on the server yet">
          <b>{refused > 0 ? 'The server refused these' : 'Kept here until the server is back'}</b>
          <ul>
            {waiting.map((w) => (
              <li key={w.key}>
                {w.label} <Mute>job {w.jobNumber}</Mute>
                {!isMine(w) && (
                  <>
                    <br />
                    <Mute>
                      {w.personName
                        ? `Made by ${w.personName}: it goes when they sign in here.`
                        : 'Nobody knows who made it.'}
                    </Mute>{' '}
                    {!w.personName && <Tool onPress={() => void sendAsMine(w.key)}>Send as mine</Tool>}{' '}
                    <Tool onPress={() => void discard(w.key)}>Take back</Tool>
                  </>
                )}
                {w.refused && (
                  <>
                    <br />
                    <Mute>{w.refused.detail}</Mute> <Tool onPress={() => void discard(w.key)}>Take back</Tool>
                  </>
                )}
              </li>
            ))}
          </ul>
        </Dialog>
      </Pop>
    </DialogTrigger>
  );
}

export function Footer({
  stage,
  jotRef,
  onWalk,
  onKeys,
}: {
  stage: Stage;
  jotRef: RefObject<HTMLInputElement | null>;
  onWalk: () => void;
  onKeys: () => void;
}) {
  const { person } = useJobView();
  return (
    <Bar aria-label="Bench">
      <JotLine stage={stage} inputRef={jotRef} />
      <Clocks stage={stage} />
      <AskedLines stage={stage} inputRef={jotRef} />
      <WaitingEntries />
      {person.mayWrite && (
        <Tool onPress={onWalk}>
          <Footprints size={18} />
          Walk <Key>W</Key>
        </Tool>
      )}
      <KeysTool onPress={onKeys}>
        Keys <Kbd>?</Kbd>
      </KeysTool>
    </Bar>
  );
}

/** Focus target for the jot line, shared with the keys. */
export const useJotRef = (): RefObject<HTMLInputElement | null> => useRef<HTMLInputElement | null>(null);
