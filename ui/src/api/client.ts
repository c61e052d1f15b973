// The typed client of our own API, generated from its OpenAPI document (see generated/).
import createClient from "openapi-fetch";

import type { components, paths } from "./generated/schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["ProblemDetails"];

/** Told to the window when the session is over. */
export const SIGNED_OUT = "skurrow-signed-out";

export const api = createClient<paths>({ baseUrl: "/" });

/** An answer that is no success; `problem` says what is wrong and what to do. */
export class Refused extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

const UNREACHABLE: Problem = {
  type: "about:blank",
  title: "No connection",
  status: 0,
  detail: "Skurrow cannot be reached. Nothing you typed is lost; it is tried again.",
  errors: [],
  current: null,
};

/** The data of an answer; throws Refused for anything else, also when there is no connection. */
export async function data<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer;
  try {
    answer = await asked;
  } catch {
    throw new Refused(UNREACHABLE);
  }
  if (answer.response.ok) return answer.data as T;
  if (answer.response.status === 401) window.dispatchEvent(new Event(SIGNED_OUT));
  const problem = answer.error as Partial<Problem> | undefined;
  throw new Refused({ ...UNREACHABLE, ...(problem?.detail ? problem : {}), status: answer.response.status });
}

/** What is wrong with a field, by its path, in one sentence. */
export function fieldProblem(error: unknown, path: string): string | undefined {
  if (!(error instanceof Refused)) return undefined;
  const found = error.problem.errors.find((one) => one.path === path);
  return found
    ? `${wholeSentence(found.message)}. ${found.remedy}${/[.?]$/.test(found.remedy) ? "" : "."}`
    : undefined;
}

/** What is said of a field where it does not stand behind the field's name: "This is empty". */
export const wholeSentence = (message: string): string =>
  /^[a-z]/.test(message) ? `This ${message}` : message;
