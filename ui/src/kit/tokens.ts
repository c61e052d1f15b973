// The materials: every colour, face and measure of the desk. Nothing else holds a raw colour.
// Contrast (WCAG): pencil on sheet 5.6:1, verdigris on sheet 6.2:1, madder on sheet 6.4:1, saffron is for marks only.
import { createGlobalStyle } from "styled-components";

const DARK = `
  --paper: #16181c; --sheet: #1d2025; --tape: #24272d;
  --ink: #ece8dd; --pencil: #a5abb5; --hairline: #383b41; --edge: #7d818a;
  --verdigris: #5bbfae; --verdigris-deep: #7dd3c4; --wash: #20393a; --on-verdigris: #0d1f1c;
  --saffron: #e0a12e; --saffron-ink: #efc069; --saffron-wash: #3a3020;
  --madder: #ec8b7a; --madder-wash: #40261f; --slate: #9db8e3;
  --hatch: #ece8dd14; --shade: #000000a0; --marked: #24473f;
  color-scheme: dark;
`;

export const Materials = createGlobalStyle`
  :root {
    --paper: #f3f0e8; --sheet: #fbfaf6; --tape: #ffffff;
    --ink: #20242b; --pencil: #5c6470; --hairline: #d9d3c5; --edge: #8a8371;
    --verdigris: #0e6a5e; --verdigris-deep: #0a5249; --wash: #e3ece7; --on-verdigris: #ffffff;
    --saffron: #c98200; --saffron-ink: #7a4f00; --saffron-wash: #f8edd6;
    --madder: #a23a2a; --madder-wash: #f7e6e2; --slate: #3d5a86;
    --hatch: #20242b14; --shade: #20242b33; --marked: #dcebe5;
    --text: "Instrument Sans Variable", "DejaVu Sans", sans-serif;
    --heading: "Bricolage Grotesque Variable", "DejaVu Sans", sans-serif;
    --mono: "Spline Sans Mono Variable", "DejaVu Sans Mono", monospace;
    --corner: 6px;
    color-scheme: light;
  }
  @media (prefers-color-scheme: dark) {
    :root:not([data-scheme="light"]) { ${DARK} }
  }
  :root[data-scheme="dark"] { ${DARK} }
  *, *::before, *::after { box-sizing: border-box; }
  body {
    margin: 0; background: var(--paper); color: var(--ink);
    font: 15px/1.45 var(--text); -webkit-font-smoothing: antialiased;
  }
  h1, h2, h3 { margin: 0; font-family: var(--heading); line-height: 1.15; font-weight: 650; letter-spacing: -0.01em; }
  h1 { font-size: 28px; } h2 { font-size: 17px; } h3 { font-size: 15px; }
  p { margin: 0; }
  a { color: var(--slate); text-underline-offset: 3px; }
  button, input, select, textarea { font: inherit; color: inherit; }
  :focus-visible { outline: 2px solid var(--verdigris); outline-offset: 2px; }
  .quiet { color: var(--pencil); font-size: 14px; }
  .money, .mono { font-family: var(--mono); font-variant-numeric: tabular-nums; }
  .hidden {
    position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap;
  }
  @media (prefers-reduced-motion: reduce) {
    *, *::before, *::after { animation-duration: 0.01ms !important; transition-duration: 0.01ms !important; }
  }
`;
