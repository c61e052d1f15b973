// The slots of one sentence: each is given what is wrong with it, and the sentence tells it beneath.
export interface Slots {
  /** What a slot needs to know of the place in the part that it edits; several places where it stands for them. */
  at: (...paths: string[]) => { invalid: boolean; isDisabled: boolean };
  /** What is wrong with any of them. Told after the slots are written, which JSX does by itself. */
  problems: string[];
}

export function slots(problem: (path: string) => string | undefined, isDisabled: boolean): Slots {
  const problems: string[] = [];
  const at = (...paths: string[]) => {
    const found = paths.map(problem).filter((one) => one !== undefined);
    problems.push(...found);
    return { invalid: found.length > 0, isDisabled };
  };
  return { at, problems };
}
