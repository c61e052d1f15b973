/** The mark: a line that branches off and goes on. */
export function Logo() {
  return (
    <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true" focusable="false">
      <path
        d="M3 3v6a5 5 0 0 0 5 5h7"
        fill="none"
        stroke="var(--verdigris)"
        strokeWidth="2.4"
        strokeLinecap="round"
      />
      <path d="M3 9v9" fill="none" stroke="var(--verdigris)" strokeWidth="2.4" strokeLinecap="round" />
      <circle cx="17.5" cy="14" r="3" fill="var(--verdigris)" />
    </svg>
  );
}
