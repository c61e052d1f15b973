import { ModalOverlay, Modal, Dialog, Heading } from "react-aria-components";
import { styled } from "styled-components";
import { Button } from "../../kit/Button";
import { SHORTCUTS } from "./shortcuts";

const Over = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  z-index: 40;
  background: var(--shade);
  display: grid;
  place-items: center;
  padding: 16px;
  section {
    background: var(--sheet);
    border-radius: var(--corner);
    padding: 22px 26px;
    max-width: 520px;
    max-height: calc(100vh - 40px);
    overflow: auto;
    outline: none;
  }
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 5px 20px;
    margin: 14px 0 18px;
  }
  dt {
    font-family: var(--mono);
    font-size: 14px;
  }
  dd {
    margin: 0;
  }
`;

export function ShortcutList({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Over isOpen={open} onOpenChange={(now) => !now && onClose()} isDismissable>
      <Modal>
        <Dialog>
          <Heading slot="title">Shortcuts</Heading>
          <dl>
            {SHORTCUTS.map((one) => (
              <div key={one.act} style={{ display: "contents" }}>
                <dt>{one.keys}</dt>
                <dd>{one.words}</dd>
              </div>
            ))}
          </dl>
          <Button autoFocus onPress={onClose}>
            Close
          </Button>
        </Dialog>
      </Modal>
    </Over>
  );
}
