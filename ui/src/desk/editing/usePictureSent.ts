// Sends a picture: the server checks it, makes it smaller and keeps it under a name.
import { useMutation } from "@tanstack/react-query";
import { useParams } from "react-router";

import { api, data, Refused, type Schemas } from "../../api/client";

export function usePictureSent(onKept: (name: string, file: File) => void) {
  const { site: code = "" } = useParams();
  const sent = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.append("picture", file);
      return data(
        api.POST("/desk/api/sites/{site}/pictures", {
          params: { path: { site: code } },
          body: form as unknown as Schemas["Body_add_picture"],
          bodySerializer: (body: unknown) => body as FormData,
        }),
      );
    },
    onSuccess: (kept, file) => onKept(kept.name, file),
  });
  const trouble = sent.error
    ? sent.error instanceof Refused
      ? sent.error.problem.detail
      : "It was not sent. Try again."
    : undefined;
  return { send: sent.mutate, sendOne: sent.mutateAsync, isPending: sent.isPending, trouble };
}
