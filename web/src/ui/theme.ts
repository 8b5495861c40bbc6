import { createGlobalStyle } from 'styled-components';

/** Bench-mat petrol, graphite ink; hazard orange has one meaning: energised or not proven dead. */
export const GlobalStyle = createGlobalStyle`
  :root {
    --mat: #0b5260; --mat-ink: #ffffff; --mat-text: #0b5260; --mat-soft: #d9e8ea;
    --ground: #e9eeed; --sheet: #fbfcfc; --rail: #f2f5f4; --ink: #14201f; --mute: #4c5b58; --line: #c3cfcc; --edge: #7d8f8b;
    --hot: #c74405; --hot-soft: #fdeadd; --hot-ink: #ffffff; --sus: #6d2f7c; --sus-soft: #f0e6f3; --low: #8a4b12; --high: #155e9c; --zero: #d5e1df; --chip: #e0e7e5; --bad: #9c2222;
    color-scheme: light;
    /* The one scale of type: small print, tables and hints, text, what is read at arm's length, headings, figures. */
    --t-xs: 13px; --t-s: 14px; --t-m: 15px; --t-l: 17px; --t-xl: 19px; --t-h: 23px; --t-big: 32px; --t-huge: 44px;
  }
  :root[data-theme='pit'] {
    --mat: #0d4450; --mat-ink: #ffffff; --mat-text: #7fc4d2; --mat-soft: #163a42;
    --ground: #0f1716; --sheet: #182221; --rail: #131c1b; --ink: #eaf1ef; --mute: #a5b5b1; --line: #33423f; --edge: #6b7d79;
    --hot: #f2783a; --hot-soft: #3b2113; --hot-ink: #14201f; --sus: #d29ae2; --sus-soft: #32203a; --low: #d98f4a; --high: #6db0ea; --zero: #2f3f3c; --chip: #263432; --bad: #ff9a94;
    color-scheme: dark;
  }
  *, *::before, *::after { box-sizing: border-box; }
  html, body, #root { height: 100%; }
  body { margin: 0; background: var(--ground); color: var(--ink); font: var(--t-m)/1.4 'Atkinson Hyperlegible Next Variable', system-ui, sans-serif; font-variant-numeric: tabular-nums; -webkit-font-smoothing: antialiased; }
  h1, h2, h3, h4, p { margin: 0; }
  h1 { font-size: var(--t-h); line-height: 1.2; font-weight: 700; letter-spacing: -0.005em; }
  h2 { font-size: var(--t-xl); line-height: 1.3; font-weight: 700; }
  h3 { font-size: var(--t-m); font-weight: 650; }
  a { color: var(--mat-text); }
  button, input, select, textarea { font: inherit; color: inherit; }
  code, .n { font-family: 'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace; font-variant-numeric: tabular-nums; }
  :focus-visible { outline: 3px solid var(--mat-text); outline-offset: 2px; border-radius: 3px; }
  table { border-collapse: collapse; width: 100%; }
  @media (prefers-reduced-motion: reduce) { * { animation: none !important; transition: none !important; } }
`;
