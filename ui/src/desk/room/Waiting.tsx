import { styled } from "styled-components";

import { Button } from "../../kit/Button";
import { Notice } from "../../kit/Notice";

const Room = styled.main`
  max-width: 520px;
  margin: 18vh auto 0;
  padding: 0 20px;
`;

/**
 * While nothing is known yet; and, where the server is away, what that means and that it is asked again.
 * `within`: it stands in a part of a sheet, whose other parts are there already.
 */
export function Waiting({ away, again, within }: { away: boolean; again: () => void; within?: boolean }) {
  return (
    <Room as={within ? "div" : "main"} aria-busy={!away}>
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
