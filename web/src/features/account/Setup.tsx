import { useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { client, data } from "../../api/client";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button, Empty } from "../../components/ui";
import { email, filled, password, z } from "../../lib/zod";
import { Frame } from "./Frame";

const schema = z.object({ name: filled(), email, password, workspace: filled() });

export default function Setup() {
  const { token } = useSearch({ from: "/setup" });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const form = useServerForm({
    schema,
    values: { name: "", email: "", password: "", workspace: "" },
    send: (given) => data(client.POST("/api/setup", { body: { token, ...given } })),
    done: async () => {
      queries.clear();
      await navigate({ to: "/" });
    },
  });
  if (!token)
    return (
      <Frame title="The first account">
        <Empty title="Nobody has an account here yet.">
          <p>Open the set-up link that ./start has printed in the terminal.</p>
        </Empty>
      </Frame>
    );
  return (
    <Frame title="The first account" lead="It owns the workspace. More people can be added later.">
      <Form form={form}>
        <Written form={form} name="name" label="Your name" autoComplete="name" />
        <Written form={form} name="email" label="E-mail" type="email" autoComplete="username" />
        <Written
          form={form}
          name="password"
          label="Password"
          hint="At least 10 characters."
          type="password"
          autoComplete="new-password"
        />
        <Written form={form} name="workspace" label="Workspace" hint="Your company, or the client you work for." />
        <Unplaced form={form} />
        <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
          Make the account
        </Button>
      </Form>
    </Frame>
  );
}
