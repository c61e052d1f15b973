/** An address of a website as people type it, in full: with its scheme, and with that only once. */
export function inFull(typed: string): string {
  const text = typed.trim();
  if (!text || /^https?:\/*$/i.test(text)) return text;
  const [, within] = /^https?:\/\/(https?:\/\/.*)$/i.exec(text) ?? [];
  if (within) return within;
  if (/^[a-z][a-z0-9+.-]*:\/\//i.test(text)) return text;
  return `${/^((\S+\.)?localhost|127(\.\d+){3})([:/]|$)/i.test(text) ? "http" : "https"}://${text}`;
}
