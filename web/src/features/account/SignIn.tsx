import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { signIn } from "../../api/auth";
import { Button, Field, FormProblem, Input } from "../../components/ui";
import { Frame } from "./Frame";

export default function SignIn() {
  const { next } = useSearch({ from: "/sign-in" });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const enter = useMutation({
    mutationFn: (form: FormData) => signIn(String(form.get("email")), String(form.get("password"))),
    onSuccess: async () => {
      queries.clear();
      await navigate({ to: next ?? "/" });
    },
  });
  return (
    <Frame title="Sign in">
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          enter.mutate(new FormData(e.currentTarget));
        }}
      >
        <Field label="E-mail">
          {(p) => <Input {...p} name="email" type="email" autoComplete="username" required />}
        </Field>
        <Field label="Password">
          {(p) => <Input {...p} name="password" type="password" autoComplete="current-password" required />}
        </Field>
        <FormProblem problem={enter.error} fields={[]} />
        <Button type="submit" kind="main" className="self-start" disabled={enter.isPending}>
          {enter.isPending ? "Signing in …" : "Sign in"}
        </Button>
        <Link to="/forgotten" className="self-start text-[13px] text-plum underline">
          I have forgotten my password
        </Link>
      </form>
    </Frame>
  );
}
