// The counter's look: the business's colour over a calm, narrow form. Nothing of the desk's.
import { createGlobalStyle, styled } from "styled-components";

export const Look = createGlobalStyle<{ $brand: string }>`
  :root {
    --brand: ${(props) => props.$brand}; --on-brand: ${(props) => readableOn(props.$brand)};
    --ground: #fffefb; --ink: #20242b; --soft: #5c5f68; --rule: #d8d3ca; --edge: #80796a; --wrong: #a23a2a; --wrong-wash: #fbeeeb;
    --text: "Instrument Sans Variable", "DejaVu Sans", sans-serif;
    --heading: "Bricolage Grotesque Variable", "DejaVu Sans", sans-serif;
    --mono: "Spline Sans Mono Variable", "DejaVu Sans Mono", monospace;
    color-scheme: light;
  }
  *, *::before, *::after { box-sizing: border-box; }
  html { background: var(--ground); }
  body { margin: 0; color: var(--ink); font: 16px/1.5 var(--text); overflow-wrap: anywhere; }
  h1, h2, p { margin: 0; }
  h1 { font: 650 27px/1.15 var(--heading); letter-spacing: -0.01em; }
  h2 { font: 650 18px/1.2 var(--heading); }
  a { color: var(--ink); text-underline-offset: 3px; }
  button, input, select { font: inherit; color: inherit; }
  :focus-visible { outline: 3px solid var(--brand); outline-offset: 2px; }
  .hidden { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
  @media (prefers-reduced-motion: reduce) { * { animation-duration: 0.01ms !important; } }
`;

/** Black or white, whichever can be read better on a colour (WCAG relative luminance). */
export function readableOn(colour: string): string {
  const [r = 0, g = 0, b = 0] = [1, 3, 5].map((at) => {
    const part = parseInt(colour.slice(at, at + 2), 16) / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b > 0.179 ? "#000000" : "#ffffff";
}

export const Head = styled.header`
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 12px;
  min-height: 60px;
  padding: 10px 20px;
  border-bottom: 1px solid var(--rule);
  .business {
    font: 650 19px/1.2 var(--heading);
    color: var(--ink);
    border-bottom: 3px solid var(--brand);
  }
  &.framed {
    position: sticky;
    top: 0;
    z-index: 1;
    background: var(--ground);
    padding-right: 64px;
  }
`;

export const Column = styled.main`
  max-width: 520px;
  margin: 0 auto;
  padding: 26px 20px 56px;
  display: flex;
  flex-direction: column;
  gap: 18px;
  .lead {
    color: var(--soft);
  }
`;

export const Stamp = styled.span`
  padding: 1px 8px;
  border: 2px solid var(--ink);
  transform: rotate(-3deg);
  white-space: nowrap;
  font: 700 12px/1.4 var(--mono);
  letter-spacing: 0.12em;
  background: repeating-linear-gradient(-45deg, transparent 0 4px, #20242b14 4px 6px);
`;

export const Framed = styled.div`
  display: flex;
  flex-direction: column;
  gap: 4px;
  label {
    font-size: 15px;
    font-weight: 600;
  }
  input,
  select {
    width: 100%;
    min-height: 46px;
    padding: 0 12px;
    background: #fff;
    border: 1px solid var(--edge);
    border-radius: 6px;
  }
  input:focus,
  select:focus {
    outline: 3px solid var(--brand);
    border-color: var(--brand);
  }
  [aria-invalid="true"],
  [data-invalid] {
    border: 2px solid var(--wrong);
  }
  .problem {
    font-size: 14px;
    color: var(--wrong);
  }
`;

export const PayButton = styled.button`
  min-height: 54px;
  padding: 8px 16px;
  border: 0;
  border-radius: 6px;
  background: var(--brand);
  color: var(--on-brand);
  font-size: 17px;
  font-weight: 650;
  cursor: pointer;
  text-align: center;
  text-decoration: none;
  display: grid;
  place-items: center;
  &:hover {
    filter: brightness(1.12);
  }
  &[aria-disabled="true"] {
    cursor: default;
    filter: saturate(0.6) brightness(1.05);
  }
`;

export const Aside = styled.div`
  padding: 12px 14px;
  border-left: 4px solid var(--ink);
  background: #f4f1ea;
  font-size: 15px;
  strong {
    display: block;
  }
  &.wrong {
    border-color: var(--wrong);
    background: var(--wrong-wash);
  }
`;

/** A line that can be ticked, or one of several. */
export const Tick = styled.label`
  display: flex;
  align-items: center;
  gap: 10px;
  min-height: 44px;
  cursor: pointer;
  input {
    flex: none;
    width: 20px;
    height: 20px;
    margin: 0;
    accent-color: var(--brand);
  }
`;

/** What is pressed seldom, beside a link. */
export const TextButton = styled.button`
  min-height: 44px;
  padding: 0;
  border: 0;
  background: none;
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
`;

/** Fields that belong together. */
export const Together = styled.fieldset`
  margin: 0;
  padding: 0 0 0 16px;
  border: 0;
  border-left: 2px solid var(--rule);
  min-width: 0;
  display: flex;
  flex-direction: column;
  gap: 20px;
  legend {
    padding: 0;
    margin-bottom: 10px;
    font-weight: 600;
  }
`;
