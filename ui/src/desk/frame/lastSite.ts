// The site that was worked on last in this browser: the desk opens with it.
const NAME = "last site";

export function lastSite(): string | null {
  try {
    return localStorage.getItem(NAME);
  } catch {
    return null;
  }
}

export function keepLastSite(code: string) {
  try {
    localStorage.setItem(NAME, code);
  } catch {
    // Nothing is kept: the first of one's sites is opened.
  }
}
