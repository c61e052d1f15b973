// The logo: it stands at the head of mails and papers.
import { useParams } from "react-router";
import { styled } from "styled-components";

import { Button } from "../../kit/Button";
import { Picture } from "../../kit/Picture";
import { usePictureSent } from "../editing/usePictureSent";
import { useSite } from "../queries";

const Shown = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
  align-items: center;
  img {
    max-width: 220px;
    max-height: 72px;
    padding: 6px;
    background: #fff;
    border: 1px solid var(--hairline);
  }
`;

interface Props {
  logo: string | undefined;
  name: string;
  isDisabled: boolean;
  onChange: (logo: string | undefined) => void;
}

export function LogoField({ logo, name, isDisabled, onChange }: Props) {
  const { site: code = "" } = useParams();
  const folder = useSite(code).data?.pictures;
  const sent = usePictureSent(onChange);
  if (logo && folder)
    return (
      <Shown>
        <img src={`${folder}/${logo}`} alt={`Logo of ${name}`} />
        <span className="quiet">At the head of mails and papers.</span>
        {isDisabled ? null : (
          <Button look="plain" onPress={() => onChange(undefined)}>
            Take the logo out
          </Button>
        )}
      </Shown>
    );
  if (isDisabled) return null;
  return (
    <div>
      <Picture
        label={sent.isPending ? "Logo: being sent …" : "Logo, for mails and papers"}
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
}
