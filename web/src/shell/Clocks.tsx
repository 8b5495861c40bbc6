import type { Clock } from '@cellmend/contract/records';
import { TimerReset } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Button as AriaButton, Dialog, DialogTrigger } from 'react-aria-components';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { enqueue } from '../api/queue';
import { Mute } from '../ui/parts';
import { Pop, Tool } from './footerParts';
import { useJobView } from './jobContext';

const Tray = styled.div`
  display: flex;
  gap: 18px;
  overflow: hidden;
  flex: 1;
  min-width: 0;
  @media (max-width: 1000px) {
    order: 5;
    flex: 1 1 100%;
    flex-wrap: wrap;
    gap: 0 14px;
    &:empty {
      display: none;
    }
  }
  /* A phone has room for one. */
  @media (max-width: 640px) {
    > :nth-child(n + 2) {
      display: none;
    }
  }
`;
const One = styled(AriaButton)<{ $over: boolean }>`
  background: none;
  border: 0;
  padding: 0 4px;
  min-height: 44px;
  cursor: pointer;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  max-width: 300px;
  b {
    font-weight: 700;
  }
  ${(p) => p.$over && 'background: var(--ink); color: var(--sheet); border-radius: 6px; padding: 0 10px; min-height: 34px; b { font-weight: 750; }'}
`;
const clock = (seconds: number): string => {
  const s = Math.max(0, Math.round(seconds));
  const h = Math.floor(s / 3600);
  const mm = String(Math.floor((s % 3600) / 60)).padStart(2, '0');
  const ss = String(s % 60).padStart(2, '0');
  return h >= 48 ? `${Math.floor(h / 24)} d ${h % 24} h` : `${h}:${mm}:${ss}`;
};

/** Everything that runs; an ended clock stays until somebody puts it away, and shows in the page's title. */
export function Clocks() {
  const { person, job } = useJobView();
  const { data } = useSWR<Clock[]>('/clocks', get, { refreshInterval: 30_000 });
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  const clocks = data ?? [];
  const over = clocks.filter((c) => new Date(c.endsAt).getTime() <= now);
  useEffect(() => {
    document.title = over.length > 0 ? `(${over.length}) ${over[0]!.label} is over` : 'Bold Cellmend';
  }, [over.length, over]);
  return (
    <Tray role="group" aria-label="Clocks">
      {clocks.slice(0, 4).map((c) => {
        const left = (new Date(c.endsAt).getTime() - now) / 1000;
        return (
          <DialogTrigger key={c.id}>
            <One $over={left <= 0}>
              <b className="n">{left <= 0 ? 'Over' : clock(left)}</b> {c.label}
              {c.jobNumber !== null && c.jobNumber !== job.number && `, job ${c.jobNumber}`}
            </One>
            <Pop>
              <Dialog aria-label={c.label}>
                {({ close }) => (
                  <>
                    <b>{c.label}</b>
                    <br />
                    <Mute>{c.jobNumber ? `Job ${c.jobNumber}` : ''}</Mute>
                    {person.mayWrite && (
                      <Tool
                        onPress={() => {
                          void enqueue({
                            path: `/clocks/${c.id}/done`,
                            body: {},
                            label: `${c.label} put away`,
                            jobNumber: c.jobNumber ?? 0,
                          });
                          close();
                        }}
                      >
                        <TimerReset size={18} />
                        Put away
                      </Tool>
                    )}
                  </>
                )}
              </Dialog>
            </Pop>
          </DialogTrigger>
        );
      })}
    </Tray>
  );
}
