import type { Person } from '@cellmend/contract/people';
import type { PartHistory } from '@cellmend/contract/stock';
import { chemistryName } from '@cellmend/core/pack';
import { Printer } from 'lucide-react';
import { toString as qrOf } from 'qrcode';
import { Fragment, useCallback, useRef, useState } from 'react';
import { useParams } from 'react-router';
import styled, { createGlobalStyle } from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { Awaiting } from '../shell/Awaiting';
import { WorkshopFrame } from '../shell/Header';
import { Button, LinkButton, Mute, Page, Row } from '../ui/parts';
import { temperature } from '../ui/units';
import { day, fixed, ohms, upper } from '../ui/words';

/** A code that a scanner types as the label of the part: no address, so that it is short and holds in any workshop. */
export function Qr({ text }: { text: string }) {
  const { data } = useSWR(
    ['qr', text],
    () => qrOf(text, { type: 'svg', margin: 0, errorCorrectionLevel: 'M' }),
    {
      revalidateOnFocus: false,
      revalidateIfStale: false,
    },
  );
  if (!data) return null;
  return <img src={`data:image/svg+xml;base64,${btoa(data)}`} alt={`Code of ${text}`} />;
}

/** 62 mm is the width of common label rolls; the length is cut as what stands on the label needs. */
const Roll = createGlobalStyle<{ $lengthMm: number }>`
  @media print {
    @page { size: 62mm ${(p) => p.$lengthMm}mm; margin: 1.5mm; }
    body { background: #fff; }
  }
`;
const SHORTEST_MM = 34;
const CSS_PX_PER_MM = 96 / 25.4;
export const Strip = styled.article`
  width: 62mm;
  min-height: 34mm;
  box-sizing: border-box;
  padding: 2.5mm;
  background: #fff;
  color: #000;
  border: 1px solid var(--edge);
  display: grid;
  grid-template-columns: 25mm 1fr;
  gap: 2mm;
  align-items: start;
  font-size: 9.5pt;
  line-height: 1.25;
  img {
    width: 25mm;
    height: 25mm;
    display: block;
  }
  b {
    font-size: 15pt;
    line-height: 1.1;
    overflow-wrap: anywhere;
  }
  @media print {
    border: 0;
    padding: 0;
    width: auto;
    min-height: 0;
  }
`;
/** A figure stays with its unit, and a date in one line, on the narrowest label. */
export const Whole = styled.span`
  white-space: nowrap;
`;
/** A page of which only what is printed takes room on paper. */
export const Printed = styled(Page)`
  @media print {
    padding: 0;
    display: block;
  }
`;
export const Screen = styled.div`
  @media print {
    display: none;
  }
`;

/** What a part's label says: its code, what it is, what was last measured of it and when. */
export function PartLabel({ person }: { person: Person }) {
  const { id } = useParams();
  const { data } = useSWR<PartHistory>(`/stock/${id}`, get);
  const [lengthMm, setLengthMm] = useState(SHORTEST_MM);
  const measured = useRef<ResizeObserver>(undefined);
  // Its own margins on the screen are wider than those on paper: what fits here fits there.
  const strip = useCallback((el: HTMLElement | null) => {
    measured.current?.disconnect();
    if (!el) return;
    measured.current = new ResizeObserver(() => {
      // While it is printed the label has the paper's size, not its own.
      if (!matchMedia('print').matches)
        setLengthMm(Math.max(SHORTEST_MM, Math.ceil(el.offsetHeight / CSS_PX_PER_MM)));
    });
    measured.current.observe(el);
  }, []);
  if (!data)
    return (
      <WorkshopFrame person={person}>
        <Awaiting question="Label" />
      </WorkshopFrame>
    );
  const { part, readings } = data;
  const newest = readings
    .map((r) => r.at)
    .sort()
    .at(-1);
  const figures = [
    part.capacityAh !== null && `${fixed(part.capacityAh, 1)} A·h`,
    part.resistanceMilliohm !== null && `${fixed(part.resistanceMilliohm, 2)} mΩ a group`,
    part.restVoltageV !== null &&
      `${fixed(part.restVoltageV, 2)} V${part.temperatureC === null ? '' : ` at ${temperature(part.temperatureC)}`}`,
    part.insulationOhm !== null && ohms(part.insulationOhm),
  ].filter((figure) => figure !== false);
  return (
    <WorkshopFrame person={person}>
      <Roll $lengthMm={lengthMm} />
      <Printed>
        <Screen>
          <Row style={{ marginBottom: 14 }}>
            <h1 style={{ flex: 1 }}>Label of {part.label}</h1>
            <Button onPress={() => window.print()}>
              <Printer size={18} aria-hidden />
              Print
            </Button>
            <LinkButton $quiet to={`/stock/${part.id}`}>
              To the part
            </LinkButton>
          </Row>
          <p>
            <Mute>For a roll of 62 mm. Scanned into the jot line of a job, or typed, it opens the part.</Mute>
          </p>
        </Screen>
        <Strip ref={strip} aria-label={`Label of ${part.label}`}>
          <Qr text={part.label} />
          <div>
            <b>{part.label}</b>
            <br />
            {[
              upper(part.kind),
              part.chemistry && chemistryName(part.chemistry),
              part.groupCount && `${part.groupCount}\u00a0groups`,
              part.revision,
            ]
              .filter(Boolean)
              .join(', ')}
            <br />
            {figures.length === 0 && 'Nothing measured'}
            {figures.map((figure, i) => (
              <Fragment key={figure}>
                {i > 0 && ', '}
                <Whole>{figure}</Whole>
              </Fragment>
            ))}
            {newest && figures.length > 0 && (
              <>
                {' · '}
                <Whole>{day(newest)}</Whole>
              </>
            )}
          </div>
        </Strip>
      </Printed>
    </WorkshopFrame>
  );
}
