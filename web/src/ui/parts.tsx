import { useLayoutEffect, useRef, type ComponentProps, type ReactNode } from 'react';
import { Button as AriaButton, type ButtonProps } from 'react-aria-components';
import { Link } from 'react-router';
import styled, { css } from 'styled-components';
import { told } from './units';

const press = css`
  border: 0;
  border-radius: 6px;
  font-weight: 650;
  padding: 0 16px;
  min-height: 44px;
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: 8px;
  cursor: pointer;
  text-decoration: none;
  white-space: nowrap;
  @media (max-width: 640px) {
    white-space: normal;
  }
  background: var(--mat);
  color: var(--mat-ink);
  box-shadow: inset 0 0 0 1px color-mix(in srgb, var(--mat-text) 55%, transparent);
  &[data-hovered],
  &:hover {
    filter: brightness(1.12);
  }
  &[data-disabled] {
    background: transparent;
    color: var(--mute);
    box-shadow: inset 0 0 0 2px var(--line);
    cursor: not-allowed;
    filter: none;
  }
`;
const quiet = css`
  background: transparent;
  color: var(--mat-text);
  box-shadow: inset 0 0 0 2px var(--mat-text);
`;
const StyledButton = styled(AriaButton)<{ $quiet: boolean }>`
  ${press} ${(p) => p.$quiet && quiet}
`;

/** The one button of the house; quiet for the lesser choice. */
export function Button({ quiet: q = false, ...props }: ButtonProps & { quiet?: boolean }) {
  return <StyledButton $quiet={q} {...props} />;
}
export const LinkButton = styled(Link)<{ $quiet?: boolean }>`
  ${press} ${(p) => p.$quiet && quiet}
`;

/** A file that is fetched, looking like a lesser choice. */
export const QuietAnchor = styled.a`
  ${press} ${quiet}
`;

export const Sheet = styled.section`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 12px 16px;
  min-width: 0;
`;
export const Mute = styled.span`
  color: var(--mute);
  font-size: var(--t-s);
`;
/** A list whose items are sheets of their own. */
export const PlainList = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
`;
export const Row = styled.div<{ $gap?: number }>`
  display: flex;
  align-items: center;
  gap: ${(p) => p.$gap ?? 12}px;
  flex-wrap: wrap;
`;
export const Stack = styled.div<{ $gap?: number }>`
  display: flex;
  flex-direction: column;
  gap: ${(p) => p.$gap ?? 12}px;
  min-width: 0;
`;
export const Columns = styled.div<{ $of?: string }>`
  display: grid;
  grid-template-columns: ${(p) => p.$of ?? '1fr 1fr'};
  gap: 14px;
  min-width: 0;
  @media (max-width: 1000px) {
    grid-template-columns: 1fr;
  }
`;

const AnswerBox = styled.section<{ $tone: 'suspect' | 'good' | 'hot' | 'plain' }>`
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 4px 18px;
  align-items: center;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 12px 16px;
  border-left: 6px solid
    ${(p) => ({ suspect: 'var(--sus)', good: 'var(--mat-text)', hot: 'var(--hot)', plain: 'var(--edge)' })[p.$tone]};
  p {
    color: var(--mute);
  }
  @media (max-width: 640px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;
const Big = styled.div`
  font-size: var(--t-big);
  font-weight: 750;
  line-height: 1;
  text-align: right;
  white-space: nowrap;
  @media (max-width: 640px) {
    text-align: left;
    white-space: normal;
    margin-top: 8px;
  }
  small {
    display: block;
    font-size: var(--t-xs);
    color: var(--mute);
    font-weight: 500;
    margin-top: 6px;
  }
`;

/** The answer of a stage: what it means for the job, then the number. */
export function Answer({
  title,
  children,
  big,
  small,
  tone = 'plain',
}: {
  title: ReactNode;
  children?: ReactNode;
  big?: ReactNode;
  small?: ReactNode;
  tone?: 'suspect' | 'good' | 'hot' | 'plain';
}) {
  return (
    <AnswerBox $tone={tone} aria-label="Answer">
      <div>
        <h2>{title}</h2>
        {children && <p>{children}</p>}
      </div>
      {big && (
        <Big>
          {big}
          {small && <small>{small}</small>}
        </Big>
      )}
    </AnswerBox>
  );
}

export const NextBar = styled.section`
  background: var(--mat-soft);
  border-radius: 4px;
  padding: 10px 14px;
  display: flex;
  gap: 14px;
  align-items: center;
  flex-wrap: wrap;
  > div:first-child {
    flex: 1 1 260px;
  }
`;

const ProblemBox = styled.div`
  border: 1px solid var(--bad);
  border-left-width: 6px;
  border-radius: 4px;
  background: var(--sheet);
  padding: 10px 14px;
  b {
    color: var(--bad);
  }
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 2px 12px;
    margin: 6px 0 0;
  }
  dt {
    color: var(--mute);
  }
  dd {
    margin: 0;
  }
`;

/** What was wrong, where, and what would be accepted. */
export function ProblemNote({
  what,
  where,
  accepted,
}: {
  what: string;
  where?: string | undefined;
  accepted?: string | undefined;
}) {
  return (
    <ProblemBox role="alert">
      <b>{told(what)}</b>
      {(where || accepted) && (
        <dl>
          {where && (
            <>
              <dt>Where</dt>
              <dd>{where}</dd>
            </>
          )}
          {accepted && (
            <>
              <dt>Accepted</dt>
              <dd>{told(accepted)}</dd>
            </>
          )}
        </dl>
      )}
    </ProblemBox>
  );
}

export const Page = styled.div`
  display: flex;
  flex-direction: column;
  gap: 12px;
  padding: 16px 20px 20px;
  min-height: 100%;
`;

// On a phone each row is a card: every figure beside the name of its column, which floats in the room to the left of a
// cell; the cell grows with the longer of the two.
const StyledTable = styled.table`
  font-size: var(--t-s);
  th {
    position: relative;
    text-align: left;
    color: var(--mute);
    font-weight: 600;
    font-size: var(--t-xs);
    padding: 4px 10px 4px 0;
    border-bottom: 1px solid var(--line);
  }
  td {
    padding: 7px 10px 7px 0;
    border-bottom: 1px solid var(--line);
    vertical-align: baseline;
  }
  .r {
    text-align: right;
    white-space: nowrap;
  }
  tr:has(button) > td {
    vertical-align: middle;
  }
  tr:last-child td {
    border-bottom: 0;
  }
  @media (max-width: 640px) {
    &,
    tbody,
    tr,
    td {
      display: block;
    }
    thead {
      position: absolute;
      width: 1px;
      height: 1px;
      overflow: hidden;
      clip-path: inset(50%);
    }
    tbody {
      display: flex;
      flex-direction: column;
      gap: 8px;
    }
    tr {
      border: 1px solid var(--line);
      border-radius: 6px;
      padding: 6px 12px;
    }
    td {
      display: flow-root;
      padding: 6px 0 6px 38%;
      min-height: 32px;
      overflow-wrap: anywhere;
    }
    td::before {
      content: attr(data-column);
      float: left;
      width: 56.4%;
      margin: 0 4.9% 0 -61.3%;
      color: var(--mute);
      font-size: var(--t-xs);
      font-weight: 600;
      text-align: left;
    }
    td[colspan],
    td[data-column=''] {
      padding-left: 0;
    }
    td:last-child {
      border-bottom: 0;
    }
    td:empty {
      display: none;
    }
    .r {
      text-align: left;
      white-space: normal;
    }
  }
`;

/** A table; on a phone a list of cards that still say what each figure is, and still are a table to a reader. */
export function DataTable(props: ComponentProps<'table'>) {
  const ref = useRef<HTMLTableElement>(null);
  useLayoutEffect(() => {
    const table = ref.current;
    if (!table) return;
    table.setAttribute('role', 'table');
    const names = [...(table.tHead?.rows[0]?.cells ?? [])].map((c) => c.textContent ?? '');
    for (const body of table.tBodies) {
      body.setAttribute('role', 'rowgroup');
      for (const row of body.rows) {
        row.setAttribute('role', 'row');
        let at = 0;
        for (const cell of row.cells) {
          cell.setAttribute('role', cell.tagName === 'TH' ? 'rowheader' : 'cell');
          if (cell.tagName === 'TD') cell.dataset.column = names[at] ?? '';
          at += cell.colSpan;
        }
      }
    }
    if (table.tHead) {
      table.tHead.setAttribute('role', 'rowgroup');
      for (const row of table.tHead.rows) {
        row.setAttribute('role', 'row');
        for (const cell of row.cells) cell.setAttribute('role', 'columnheader');
      }
    }
  });
  return <StyledTable ref={ref} {...props} />;
}

/** Said to whoever listens to the page, and not shown. */
export const Unseen = styled.span`
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
  white-space: nowrap;
`;
