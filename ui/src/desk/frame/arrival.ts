// Where the focus goes when a sheet is arrived at.

/** Gives the sheet the focus once it is there, unless somebody types or points in the meantime. */
export function focusWhenThere(): () => void {
  let waiting = 0;
  const stop = () => {
    cancelAnimationFrame(waiting);
    window.removeEventListener("keydown", stop, true);
    window.removeEventListener("pointerdown", stop, true);
  };
  const look = () => {
    const sheet = document.querySelector<HTMLElement>('main[tabindex="-1"]');
    if (sheet) {
      stop();
      // The bars above stay where they are, and no list that hangs from them is closed by scrolling.
      sheet.focus({ preventScroll: true });
      if (sheet.getBoundingClientRect().top < 0) sheet.scrollIntoView();
    } else waiting = requestAnimationFrame(look);
  };
  window.addEventListener("keydown", stop, true);
  window.addEventListener("pointerdown", stop, true);
  look();
  return stop;
}
