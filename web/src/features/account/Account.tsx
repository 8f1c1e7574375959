/** One's own account: name, password, where one is signed in, and how this browser shows Clabo. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { changePassword, endSessions, type SignedIn, sessionsQuery } from "../../api/auth";
import { client, data } from "../../api/client";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, Failed, Field, Head, Loading, Select, TextButton } from "../../components/ui";
import { ago, count, day, money } from "../../lib/format";
import { sessionQuery, useSession } from "../../lib/session";
import { filled, password, z } from "../../lib/zod";
import { LANGUAGES, type Preferences, readPreferences, savePreferences, THEMES } from "./preferences";

export default function Account() {
  const session = useSession().data;
  return (
    <>
      <Head title="Account" lead={`You are signed in as ${session?.email}.`} />
      <div className="mt-5 flex max-w-3xl flex-col gap-8">
        <Name name={session?.name ?? ""} />
        <Password />
        <Sessions />
        <Shown />
      </div>
    </>
  );
}

function Part({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section aria-label={title} className="flex flex-col gap-3">
      <h2 className="text-title">{title}</h2>
      {children}
    </section>
  );
}

function Name({ name }: { name: string }) {
  const queries = useQueryClient();
  const form = useServerForm({
    schema: z.object({ name: filled("Enter the name that your colleagues know you by.") }),
    values: { name },
    send: (given) => data(client.PATCH("/api/account", { body: given })),
    done: async () => {
      await queries.invalidateQueries({ queryKey: sessionQuery.queryKey });
      toast("Your name is saved.");
    },
  });
  return (
    <Part title="Name">
      <Form form={form} className="flex max-w-md flex-col gap-3">
        <Written
          form={form}
          name="name"
          label="Your name"
          hint="Shown to everybody in your workspaces."
          autoComplete="name"
        />
        <Unplaced form={form} />
        <Button type="submit" className="self-start" disabled={form.pending}>
          {form.pending ? "Saving …" : "Save name"}
        </Button>
      </Form>
    </Part>
  );
}

function Password() {
  const form = useServerForm({
    schema: z.object({
      current_password: filled("Enter the password that you have now."),
      new_password: password,
    }),
    values: { current_password: "", new_password: "" },
    send: (given) => changePassword(given.current_password, given.new_password),
    resets: true,
    done: () => toast("The password is changed. Your other devices are signed out."),
  });
  return (
    <Part title="Password">
      <Form form={form} className="flex max-w-md flex-col gap-3">
        <Written
          form={form}
          name="current_password"
          label="Current password"
          type="password"
          autoComplete="current-password"
        />
        <Written
          form={form}
          name="new_password"
          label="New password"
          hint="At least 10 characters."
          type="password"
          autoComplete="new-password"
        />
        <Unplaced form={form} />
        <Button type="submit" className="self-start" disabled={form.pending}>
          {form.pending ? "Changing …" : "Change password"}
        </Button>
      </Form>
    </Part>
  );
}

function Sessions() {
  const queries = useQueryClient();
  const sessions = useQuery(sessionsQuery);
  const end = useMutation({
    mutationFn: (ids: number[]) => endSessions(ids),
    onSuccess: (_, ids) => toast(ids.length > 1 ? "All other devices are signed out." : "That device is signed out."),
    onError: (error) => toast.error(error.message),
    onSettled: () => queries.invalidateQueries({ queryKey: sessionsQuery.queryKey }),
  });
  if (sessions.isPending) return <Loading what="where you are signed in" />;
  if (sessions.isError) return <Failed error={sessions.error} retry={sessions.refetch} />;
  const others = sessions.data.filter((s) => !s.is_current);
  return (
    <Part title="Where you are signed in">
      <Scroll label="Devices">
        <Table<SignedIn>
          caption="Devices"
          rows={sessions.data}
          rowKey={(s) => s.id}
          columns={[
            { key: "device", head: "Device", text: true, cell: (s) => deviceOf(s.user_agent) },
            { key: "from", head: "Network address", text: true, cell: (s) => <span className="num">{s.ip}</span> },
            { key: "since", head: "Signed in", cell: (s) => ago(new Date(s.created_at * 1000).toISOString()) },
            {
              key: "do",
              head: <span className="sr-only">Sign out</span>,
              cell: (s) =>
                s.is_current ? (
                  <span className="text-quiet">this device</span>
                ) : (
                  <TextButton onClick={() => end.mutate([s.id])}>Sign out</TextButton>
                ),
            },
          ]}
        />
      </Scroll>
      {others.length > 1 && (
        <Button className="self-start" onClick={() => end.mutate(others.map((s) => s.id))}>
          Sign out all other devices
        </Button>
      )}
    </Part>
  );
}

/** "Firefox on Windows", as far as the browser says. */
export function deviceOf(agent: string) {
  const browser = /Edg\//.test(agent)
    ? "Edge"
    : /Firefox\//.test(agent)
      ? "Firefox"
      : /Chrome\//.test(agent)
        ? "Chrome"
        : /Safari\//.test(agent)
          ? "Safari"
          : "Another browser";
  const system = ["Windows", "Android", "iPhone", "iPad", "Mac OS", "Linux"].find((name) => agent.includes(name));
  return system ? `${browser} on ${system}` : browser;
}

function Shown() {
  const [now, setNow] = useState(readPreferences);
  const choose = (part: Partial<Preferences>) => {
    const next = { ...now, ...part };
    savePreferences(next);
    setNow(next);
  };
  return (
    <Part title="Display, in this browser">
      <div className="grid max-w-2xl gap-4 sm:grid-cols-2">
        <OneOf label="Theme" choices={THEMES} chosen={now.theme} choose={(theme) => choose({ theme })} />
        <OneOf
          label="Numbers and dates"
          hint={`So: ${count(12345)} visits, ${money(1234.5, "EUR")}, ${day("2026-12-02")}. Files to import and export stay as they are.`}
          choices={LANGUAGES}
          chosen={now.language}
          choose={(language) => choose({ language })}
        />
      </div>
    </Part>
  );
}

interface OneOfProps<Key extends string> {
  label: string;
  hint?: string;
  choices: Record<Key, string>;
  chosen: Key;
  choose: (key: Key) => void;
}

function OneOf<Key extends string>({ label, hint, choices, chosen, choose }: OneOfProps<Key>) {
  return (
    <Field label={label} hint={hint}>
      {(p) => (
        <Select {...p} value={chosen} onChange={(e) => choose(e.target.value as Key)}>
          {Object.entries<string>(choices).map(([key, text]) => (
            <option key={key} value={key}>
              {text}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}
