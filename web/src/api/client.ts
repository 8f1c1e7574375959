/** The typed client of the server's API. Types are generated from its OpenAPI document in the build. */
import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];

/** What the server says when something cannot be done (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field = "",
  ) {
    super(message);
  }
}

export function csrfToken(): string {
  return /(?:^|; )clabo_csrf=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

const problems: Middleware = {
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return response;
    const body = await response.json().catch(() => null);
    throw new Problem(
      response.status,
      body?.detail ?? `The server answered ${response.status}. Try again in a moment.`,
      body?.field,
    );
  },
  onError() {
    return new Problem(0, "The server cannot be reached. Is it running?");
  },
};

export const client = createClient<paths>({ credentials: "same-origin" });
client.use(problems);

/** The data of an answer; errors have been thrown by then. */
export async function data<T>(answer: Promise<{ data?: T }>): Promise<T> {
  return (await answer).data as T;
}
