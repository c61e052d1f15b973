// What is kept of a customer: as a file of theirs; and being forgotten.
import { useState } from "react";

import { api, data, Refused } from "../api/client";
import type { AccountBoot } from "../counter/boot";
import { Aside, TextButton } from "../counter/look";
import { useAt } from "./accountParts";

export function Kept({ boot, onForgotten }: { boot: AccountBoot; onForgotten: () => void }) {
  const at = useAt(boot);
  const [asking, setAsking] = useState(false);
  const [trouble, setTrouble] = useState<string>();
  const forget = async () => {
    try {
      await data(api.POST("/counter/api/account/{code}/forget", at));
      onForgotten();
    } catch (error) {
      setTrouble(error instanceof Refused ? error.message : "It was not done. Try again.");
    }
  };
  const test = boot.mode === "test" ? "?test=1" : "";
  return (
    <>
      <p>
        <a href={`/counter/api/account/${boot.code}/data.json${test}`} download>
          Everything that is kept of you, as a file
        </a>
      </p>
      {asking ? (
        <Aside role="group" aria-label="Be forgotten">
          Your name, addresses, password and cards are forgotten for good, and you will not find here what you
          have bought. What the law wants kept of each sale stays: amounts, the country, and the papers.{" "}
          <TextButton type="button" onClick={() => void forget()}>
            Forget me
          </TextButton>{" "}
          <TextButton type="button" onClick={() => setAsking(false)}>
            Not now
          </TextButton>
          {trouble ? (
            <span role="alert">
              <br />
              {trouble}
            </span>
          ) : null}
        </Aside>
      ) : (
        <p>
          <TextButton type="button" onClick={() => setAsking(true)}>
            Be forgotten
          </TextButton>
        </p>
      )}
    </>
  );
}
