import { styled } from "styled-components";

import { Button } from "../kit/Button";
import { Notice } from "../kit/Notice";

const Room = styled.main`
  max-width: 520px;
  margin: 18vh auto 0;
  padding: 0 20px;
`;

/** While nothing is known yet; and, where the server is away, what that means and that it is asked again. */
export function Waiting({ away, again }: { away: boolean; again: () => void }) {
  return (
    <Room aria-busy={!away}>
      {away ? (
        <Notice
          kind="attention"
          title="Skurrow is not answering"
          actions={<Button onPress={again}>Ask again</Button>}
        >
          Its database may be away for a moment. Nothing is lost; it is asked again by itself.
        </Notice>
      ) : (
        <p className="quiet">One moment …</p>
      )}
    </Room>
  );
}
