import { useEffect, useMemo, useState } from "react";
import { Button as AriaButton, DropZone, FileTrigger, Text } from "react-aria-components";
import { styled } from "styled-components";

import { Button } from "./Button";

const Framed = styled.div`
  display: flex;
  flex-direction: column;
  gap: 6px;
  font-size: 14px;
  .name {
    font-weight: 600;
  }
  .problem {
    color: var(--madder);
    font-size: 13px;
  }
`;

const Zone = styled(DropZone)`
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 84px;
  padding: 10px;
  border: 1px dashed var(--edge);
  border-radius: var(--corner);
  background: var(--tape);
  &[data-drop-target] {
    border-style: solid;
    border-color: var(--verdigris);
    background: var(--wash);
  }
  img {
    width: 96px;
    height: 72px;
    object-fit: cover;
    border: 1px solid var(--hairline);
  }
  button.choose {
    border: 0;
    background: none;
    color: var(--slate);
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
    padding: 0;
  }
`;

const KINDS = ["image/png", "image/jpeg", "image/webp"];

interface Props {
  label: string;
  file: File | undefined;
  onChange: (file: File | undefined) => void;
  /** Largest size in megabytes. */
  most?: number;
}

/** A picture from this computer, chosen or dropped; shown before it is sent. */
export function Picture({ label, file, onChange, most = 4 }: Props) {
  const [problem, setProblem] = useState("");
  const shown = useMemo(() => (file ? URL.createObjectURL(file) : ""), [file]);
  useEffect(() => () => URL.revokeObjectURL(shown), [shown]);
  const take = (found: File | undefined) => {
    if (!found) return;
    const wrong = KINDS.includes(found.type)
      ? found.size > most * 1024 * 1024 && `It is larger than ${most} MB. Make it smaller.`
      : "Only PNG, JPEG and WebP are taken. Save it as one of these.";
    setProblem(wrong || "");
    if (!wrong) onChange(found);
  };
  return (
    <Framed>
      <span className="name">{label}</span>
      <Zone
        getDropOperation={(types) => (KINDS.some((kind) => types.has(kind)) ? "copy" : "cancel")}
        onDrop={(event) => {
          const first = event.items.find((item) => item.kind === "file");
          if (first?.kind === "file") void first.getFile().then(take);
        }}
      >
        {shown ? <img src={shown} alt={file?.name ?? ""} /> : null}
        <Text slot="label">
          <FileTrigger acceptedFileTypes={KINDS} onSelect={(files) => take(files?.[0])}>
            <AriaButton className="choose">{file ? "Choose another" : "Choose a picture"}</AriaButton>
          </FileTrigger>{" "}
          or drop one here
        </Text>
        {file ? (
          <Button look="plain" onPress={() => onChange(undefined)}>
            Remove
          </Button>
        ) : null}
      </Zone>
      {problem ? (
        <span className="problem" role="alert">
          {problem}
        </span>
      ) : null}
    </Framed>
  );
}
