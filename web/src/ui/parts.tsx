import type { ReactNode } from 'react';
import { Button as AriaButton, ToggleButtonGroup, type ButtonProps } from 'react-aria-components';
import { Link } from 'react-router';
import styled, { css } from 'styled-components';

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

export const Sheet = styled.section`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 12px 16px;
  min-width: 0;
`;
export const Mute = styled.span`
  color: var(--mute);
  font-size: 13.5px;
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
  font-size: 32px;
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
    font-size: 13px;
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
      <b>{what}</b>
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
              <dd>{accepted}</dd>
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

/** What moves within itself on a phone can be moved by keyboard there. */
export const DataTable = styled.table.attrs(() => (window.innerWidth <= 640 ? { tabIndex: 0 } : {}))`
  font-size: 14.5px;
  th {
    position: relative;
  }
  /* A table wider than a phone moves within itself, never the page. */
  @media (max-width: 640px) {
    display: block;
    overflow-x: auto;
  }
  th {
    text-align: left;
    color: var(--mute);
    font-weight: 600;
    font-size: 13px;
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
`;
export const Input = styled.input`
  font-weight: 450;
  width: 100%;
  min-height: 44px;
  padding: 6px 12px;
  border: 1px solid var(--edge);
  border-radius: 6px;
  background: var(--sheet);
  color: var(--ink);
  &:focus {
    outline: 3px solid var(--mat-text);
    outline-offset: 0;
  }
  &::placeholder {
    color: var(--mute);
  }
`;
export const Select = styled.select`
  width: 100%;
  min-height: 44px;
  padding: 6px 10px;
  border: 1px solid var(--edge);
  border-radius: 6px;
  background: var(--sheet);
  color: var(--ink);
  font-weight: 450;
  &:focus {
    outline: 3px solid var(--mat-text);
  }
`;
export const TextArea = styled(Input).attrs({ as: 'textarea' })`
  min-height: 74px;
  resize: vertical;
  line-height: 1.4;
`;
export const Field = styled.label`
  display: flex;
  flex-direction: column;
  gap: 4px;
  font-weight: 600;
  font-size: 14px;
  min-width: 0;
  > small {
    font-weight: 400;
    color: var(--mute);
  }
`;

/** A choice as chips. */
export const Chips = styled(ToggleButtonGroup)`
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
  button {
    font-weight: 500;
    border: 1px solid var(--edge);
    background: var(--sheet);
    color: var(--ink);
    border-radius: 6px;
    min-height: 44px;
    padding: 0 14px;
    cursor: pointer;
  }
  button[data-selected] {
    background: var(--ink);
    color: var(--sheet);
    border-color: var(--ink);
  }
`;

/** Said to whoever listens to the page, and not shown. */
export const Unseen = styled.span`
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
  white-space: nowrap;
`;
