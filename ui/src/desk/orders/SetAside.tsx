// What could not be handled after several tries: looked at here, and tried again.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useParams } from "react-router";

import { api, data, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Empty } from "../../kit/Empty";
import { Notice } from "../../kit/Notice";
import { Body, Sheet, Table } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { when } from "../../kit/format/when";
import { OrderRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { refresh, setAside } from "../queries";
import { useRole } from "../room/role";

/** The room. */
export function SetAside() {
  const { site: code = "" } = useParams();
  const asked = useQuery(setAside(code));
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <WithRooms>
      <OrderRooms />
      <Sheet tabIndex={-1} aria-label="Set aside">
        {asked.data.length ? (
          <Body>
            <header>
              <h1>Set aside</h1>
              <p className="quiet">
                Each was tried several times, with longer and longer pauses. Nothing more is done about it
                until somebody has it tried again.
              </p>
            </header>
            <List code={code} found={asked.data} />
          </Body>
        ) : (
          <Empty title="Nothing is set aside">
            A gateway&rsquo;s message, a mail or a renewal that cannot be handled after several tries comes to
            lie here.
          </Empty>
        )}
      </Sheet>
    </WithRooms>
  );
}

function List({ code, found }: { code: string; found: Schemas["AsideView"][] }) {
  const { maySell } = useRole(code);
  const queries = useQueryClient();
  const trying = useMutation({
    mutationFn: ({ kind, id }: Schemas["AsideView"]) =>
      data(
        api.POST("/desk/api/sites/{site}/aside/{what}/{row}", {
          params: { path: { site: code, what: kind, row: id } },
        }),
      ),
    onSettled: () => refresh(queries, code),
  });
  return (
    <>
      {trying.error ? <Notice kind="error">{trying.error.message}</Notice> : null}
      <Table>
        <thead>
          <tr>
            <th scope="col">What</th>
            <th scope="col">Tries</th>
            <th scope="col">Since</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {found.map((one) => (
            <tr key={one.id}>
              <th scope="row">
                {one.about} {one.mode === "test" ? <Stamp /> : null}
                {one.trouble ? (
                  <>
                    <br />
                    <span className="quiet">It ended in {one.trouble}.</span>
                  </>
                ) : null}
              </th>
              <td>{one.tries}</td>
              <td className="quiet">{when(one.at)}</td>
              <td>
                {maySell ? (
                  <Button look="plain" onPress={() => trying.mutate(one)}>
                    Try again
                  </Button>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </>
  );
}
