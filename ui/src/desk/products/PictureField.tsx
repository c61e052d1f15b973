// A product's picture: sent, checked and made smaller by the server, then described for those who cannot see it.
import { memo } from "react";
import { useParams } from "react-router";
import { styled } from "styled-components";

import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Picture } from "../../kit/Picture";
import type { PictureBody } from "../editing/bodies";
import { usePictureSent } from "../editing/usePictureSent";
import { useSite } from "../queries";

const Shown = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
  align-items: start;
  img {
    width: 132px;
    height: 100px;
    object-fit: cover;
    border: 1px solid var(--hairline);
  }
  > div {
    flex: 1 1 240px;
    display: flex;
    flex-direction: column;
    gap: 8px;
    align-items: start;
  }
  > div > :first-child {
    width: 100%;
  }
`;

interface Props {
  label: string;
  picture: PictureBody | undefined;
  /** Where the picture stands in its part, as in "picture". */
  at: string;
  problem: (path: string) => string | undefined;
  mayConfigure: boolean;
  mayWord: boolean;
  onChange: (picture: PictureBody | undefined) => void;
}

export const PictureField = memo(function PictureField({
  label,
  picture,
  at,
  problem,
  mayConfigure,
  mayWord,
  onChange,
}: Props) {
  const { site: code = "" } = useParams();
  const folder = useSite(code).data?.pictures;
  const sent = usePictureSent((name, file) => {
    const words = file.name.replace(/\.[^.]+$/, "").replace(/[-_]+/g, " ");
    onChange({ name, text: picture?.text ?? words });
  });
  if (picture && folder) {
    return (
      <Shown>
        <img src={`${folder}/${picture.name}`} alt={picture.text} />
        <div>
          <Field
            label={`${label}: what it shows`}
            hint="Read out to those who cannot see it."
            lines="as needed"
            value={picture.text}
            problem={problem(`${at}.text`) ?? problem(`${at}.name`)}
            isDisabled={!mayWord}
            onChange={(text) => onChange({ ...picture, text })}
          />
          {mayConfigure ? (
            <Button look="plain" onPress={() => onChange(undefined)}>
              Take the picture out
            </Button>
          ) : null}
        </div>
      </Shown>
    );
  }
  if (!mayConfigure) return null;
  return (
    <div>
      <Picture
        label={sent.isPending ? `${label}: being sent …` : label}
        file={undefined}
        most={12}
        onChange={(file) => (file ? sent.send(file) : undefined)}
      />
      {sent.trouble ? (
        <p role="alert" style={{ color: "var(--madder)" }}>
          {sent.trouble}
        </p>
      ) : null}
    </div>
  );
});
