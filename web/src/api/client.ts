import createClient, { type Middleware } from "openapi-fetch";
import type { paths } from "./schema";

const csrf: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", cookie("csrftoken"));
    return request;
  },
};

export const api = createClient<paths>({ baseUrl: window.location.origin });
api.use(csrf);

export function cookie(name: string): string {
  const found = document.cookie.split("; ").find((pair) => pair.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

/** An error that the server put into words. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    text: string,
    /** All that the server said besides. */
    readonly more: unknown = undefined,
  ) {
    super(text);
  }
}

type Outcome<T> = { data?: T; error?: unknown; response: Response };

/** The data, or a Problem with the server's own sentence. */
export async function taken<T>(asked: Promise<Outcome<T>>): Promise<T> {
  let outcome: Outcome<T>;
  try {
    outcome = await asked;
  } catch {
    throw new Problem(0, "Coin Bell does not answer. Is ./bell still running?");
  }
  if (outcome.response.ok) return outcome.data as T;
  const detail = (outcome.error as { detail?: string } | undefined)?.detail;
  throw new Problem(outcome.response.status, detail ?? `the server answered ${outcome.response.status}`, outcome.error);
}
