import { useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { signIn } from "../../api/auth";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button } from "../../components/ui";
import { filled, z } from "../../lib/zod";
import { Frame } from "./Frame";

const schema = z.object({ email: filled("Say who you are."), password: filled() });

export default function SignIn() {
  const { next } = useSearch({ from: "/sign-in" });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const form = useServerForm({
    schema,
    values: { email: "", password: "" },
    send: ({ email, password }) => signIn(email, password),
    done: async () => {
      queries.clear();
      await navigate({ to: next ?? "/" });
    },
  });
  return (
    <Frame title="Sign in">
      <Form form={form}>
        <Written form={form} name="email" label="E-mail" type="email" autoComplete="username" />
        <Written form={form} name="password" label="Password" type="password" autoComplete="current-password" />
        <Unplaced form={form} />
        <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
          {form.pending ? "Signing in …" : "Sign in"}
        </Button>
        <Link to="/forgotten" className="self-start text-small text-plum underline">
          I have forgotten my password
        </Link>
      </Form>
    </Frame>
  );
}
