import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { client, data } from "../../api/client";
import { Button, Empty, Field, FormProblem, fieldError, Input } from "../../components/ui";
import { Frame } from "./Frame";

export default function Setup() {
  const { token } = useSearch({ from: "/setup" });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const make = useMutation({
    mutationFn: (form: FormData) => {
      const text = (name: string) => String(form.get(name) ?? "");
      const body = {
        token,
        name: text("name"),
        email: text("email"),
        password: text("password"),
        workspace: text("workspace"),
      };
      return data(client.POST("/api/setup", { body }));
    },
    onSuccess: async () => {
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
  const error = (name: string) => fieldError(make.error, name);
  return (
    <Frame title="The first account" lead="It owns the workspace. More people can be added later.">
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate(new FormData(e.currentTarget));
        }}
      >
        <Field label="Your name">{(p) => <Input {...p} name="name" autoComplete="name" required />}</Field>
        <Field label="E-mail" error={error("email")}>
          {(p) => <Input {...p} name="email" type="email" autoComplete="username" required />}
        </Field>
        <Field label="Password" hint="At least 10 characters." error={error("password")}>
          {(p) => <Input {...p} name="password" type="password" autoComplete="new-password" required />}
        </Field>
        <Field label="Workspace" hint="Your company, or the client you work for.">
          {(p) => <Input {...p} name="workspace" required />}
        </Field>
        <FormProblem problem={make.error} fields={["email", "password"]} />
        <Button type="submit" kind="main" className="self-start" disabled={make.isPending}>
          Make the account
        </Button>
      </form>
    </Frame>
  );
}
