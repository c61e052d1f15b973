// What a gateway can do.
import { styled } from "styled-components";

export const ABILITIES: Record<string, [can: string, cannot: string]> = {
  card_on_file: ["keeps a card on file", "does not keep cards on file"],
  recurring: ["charges again without the buyer", "does not charge again without the buyer"],
  off_site: ["sends the buyer to its own site", "does not send the buyer elsewhere"],
  confirms_later: ["may confirm days later", "confirms at once"],
  partial_refund: ["refunds in part", "refunds only the whole"],
  buyer_approval: ["asks for the bank's approval", "does not ask for the bank's approval"],
};

export const Abilities = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 4px 24px;
  li {
    display: flex;
    gap: 8px;
  }
  li.cannot {
    color: var(--pencil);
  }
  b {
    font-family: var(--mono);
    flex: 0 0 1em;
  }
`;
