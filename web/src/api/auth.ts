/** Sign-in, sign-out and choosing a password: allauth's headless API. */
import { csrfToken, Problem } from "./client";

async function ask(method: string, path: string, body?: unknown) {
  const answer = await fetch(`/_allauth/browser/v1/${path}`, {
    method,
    headers: { "content-type": "application/json", "X-CSRFToken": csrfToken() },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  const said = await answer.json().catch(() => ({}));
  const first = said.errors?.[0];
  if (first) throw new Problem(answer.status, first.message, first.param);
  return { status: answer.status, said };
}

const call = async (method: string, path: string, body?: unknown) => (await ask(method, `auth/${path}`, body)).status;

export async function signIn(email: string, password: string) {
  const status = await call("POST", "login", { email, password });
  if (status !== 200) throw new Problem(status, "Signing in did not work. Try again.");
}

/** Afterwards nobody is signed in, which allauth says with 401. */
export const signOut = () => call("DELETE", "session");

export async function askForReset(email: string) {
  const status = await call("POST", "password/request", { email });
  if (status === 429) throw new Problem(status, "Too many mails were asked for. Try again in an hour.");
}

/** From the link of that mail. Answers 401 because the new password still has to be signed in with. */
export const choosePassword = (key: string, password: string) => call("POST", "password/reset", { key, password });

export const changePassword = (now: string, next: string) =>
  ask("POST", "account/password/change", { current_password: now, new_password: next });

/** A device on which somebody is signed in; times in seconds since 1970. */
export interface SignedIn {
  id: number;
  user_agent: string;
  ip: string;
  created_at: number;
  is_current: boolean;
}

export const sessionsQuery = {
  queryKey: ["sessions"],
  queryFn: async (): Promise<SignedIn[]> => (await ask("GET", "auth/sessions")).said.data ?? [],
};

export const endSessions = (sessions: number[]) => ask("DELETE", "auth/sessions", { sessions });
