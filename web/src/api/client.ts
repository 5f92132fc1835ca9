// One client for the whole API, typed from the server's OpenAPI description.
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];

/** An answer that is a problem (RFC 9457). */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail || problem.title);
  }
}

let csrf = "";
/** Sets the token that requests which change something carry. */
export function setCsrf(token: string) {
  csrf = token;
}

export const api = createClient<paths>({ baseUrl: "/api/v1" });
api.use({
  onRequest({ request }) {
    if (csrf) request.headers.set("x-hovrel-csrf", csrf);
    return request;
  },
});

/** The data of an answer; throws what went wrong. */
export async function take<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await answer;
  } catch {
    throw new ProblemError({
      type: "/problems/offline",
      title: "Hovrel does not answer",
      status: 0,
      detail: "The server can't be reached from this browser.",
      advice: "Check the connection, or whether the server is running. Running jobs continue.",
      fields: [],
    });
  }
  if (!result.response.ok) {
    const given = result.error as Problem | undefined;
    throw new ProblemError(
      given?.title
        ? given
        : {
            type: "/problems/unknown",
            title: "Error in Hovrel",
            status: result.response.status,
            detail: result.response.statusText,
            advice: "Try again.",
            fields: [],
          },
    );
  }
  return result.data as T;
}
