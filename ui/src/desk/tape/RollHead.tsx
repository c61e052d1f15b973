// The head of a roll: what it is, the next buyer, and closing it where it is a drawer.
import { Button } from "../../kit/Button";

interface Props {
  title: string;
  /** Has it made out to the next buyer; nothing where it cannot be turned. */
  onNext?: () => void;
  onClose?: (() => void) | undefined;
}

export function RollHead({ title, onNext, onClose }: Props) {
  return (
    <header>
      <h2>{title}</h2>
      <span>
        {onNext ? (
          <Button look="plain" onPress={onNext}>
            Next buyer <kbd>Alt B</kbd>
          </Button>
        ) : null}
        {onClose ? (
          <Button look="plain" onPress={onClose}>
            Close
          </Button>
        ) : null}
      </span>
    </header>
  );
}
