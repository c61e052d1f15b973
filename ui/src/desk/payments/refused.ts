/** Why coming back from a gateway's own site has not connected it. */
export const REFUSED: Record<string, string | undefined> = {
  denied: "You have not let Skurrow in there.",
  late: "It took too long, or was answered twice. Connect it once more.",
  silent: "The gateway did not answer. Nothing was changed; try again in a moment.",
};
