// What the person at the desk may change on this site.
import { useSite } from "../queries";

export function useRole(code: string) {
  const role = useSite(code).data?.role ?? "onlooker";
  return {
    role,
    mayConfigure: role === "developer",
    mayWord: role !== "onlooker",
    maySell: role !== "onlooker",
  };
}
