import styled from 'styled-components';

/** The sheet as it is printed. */
export const Paper = styled.article`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 24px 30px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  header {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    border-bottom: 2px solid var(--mat-text);
    padding-bottom: 8px;
  }
  h2.title {
    font-size: var(--t-h);
  }
  h2 {
    font-size: var(--t-l);
    margin: 0 0 3px;
  }
  section p {
    max-width: 74ch;
  }
  .sign {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 40px;
    margin-top: 26px;
    div {
      border-top: 1px solid var(--ink);
      padding-top: 4px;
      font-size: var(--t-xs);
    }
  }
  @media print {
    border: 0;
    padding: 0;
    color: #000;
    background: #fff;
    font-size: var(--t-xs);
    gap: 9px;
    * {
      color: #000 !important;
    }
    section {
      break-inside: avoid;
    }
    h2.title {
      font-size: var(--t-xl) !important;
    }
    h2 {
      font-size: var(--t-s);
    }
    td,
    th {
      padding-top: 3px !important;
      padding-bottom: 3px !important;
    }
  }
`;
