// Pictures that a file of products names, sent together.
import { useState } from "react";
import { FileTrigger } from "react-aria-components";

import { Button } from "../../kit/Button";
import { Notice } from "../../kit/Notice";
import { usePictureSent } from "../editing/usePictureSent";

/** Sends them one after the other, says how far it is, and which could not be kept. */
export function PicturesButton({ onSent }: { onSent: () => void }) {
  const { sendOne } = usePictureSent(() => undefined);
  const [sent, setSent] = useState<{ kept: number; of: number; wrong: string[] }>();
  const send = async (files: File[]) => {
    const wrong: string[] = [];
    for (const [i, file] of files.entries()) {
      setSent({ kept: i - wrong.length, of: files.length, wrong });
      try {
        await sendOne(file);
      } catch (error) {
        wrong.push(`${file.name}: ${error instanceof Error ? error.message : "it was not sent"}`);
      }
    }
    setSent({ kept: files.length - wrong.length, of: files.length, wrong });
    onSent();
  };
  const busy = sent !== undefined && sent.kept + sent.wrong.length < sent.of;
  return (
    <>
      <FileTrigger
        allowsMultiple
        acceptedFileTypes={["image/png", "image/jpeg", "image/webp"]}
        onSelect={(files) => void send([...(files ?? [])])}
      >
        <Button isPending={busy}>Send pictures along</Button>
      </FileTrigger>
      {sent ? (
        <p role="status">
          {sent.kept} of {sent.of} {sent.of === 1 ? "picture" : "pictures"} kept.
        </p>
      ) : null}
      {sent?.wrong.length ? (
        <Notice kind="error">
          {sent.wrong.map((one) => (
            <span key={one}>
              {one}
              <br />
            </span>
          ))}
        </Notice>
      ) : null}
    </>
  );
}
