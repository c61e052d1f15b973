import { FileTrigger } from "react-aria-components";

import { Button } from "../Button";

interface Props {
  types: string[];
  children: string;
  onText: (text: string, name: string) => void;
}

/** Reads a text file from this computer. */
export function FileButton({ types, children, onText }: Props) {
  return (
    <FileTrigger
      acceptedFileTypes={types}
      onSelect={(files) => {
        const file = files?.[0];
        if (file) void file.text().then((text) => onText(text, file.name));
      }}
    >
      <Button>{children}</Button>
    </FileTrigger>
  );
}
