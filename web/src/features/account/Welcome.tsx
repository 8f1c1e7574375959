import { useMutation } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { choosePassword } from "../../api/auth";
import { Button, Field, FormProblem, fieldError, Input } from "../../components/ui";
import { Frame } from "./Frame";

export default function Welcome() {
  const { key } = useParams({ from: "/welcome/$key" });
  const choose = useMutation({ mutationFn: (password: string) => choosePassword(key, password) });
  return (
    <Frame title="Choose a password" lead="Afterwards you sign in with your e-mail address and this password.">
      {choose.isSuccess ? (
        <p>
          It is set.{" "}
          <Link to="/sign-in" className="text-plum underline">
            Sign in
          </Link>
        </p>
      ) : (
        <form
          className="flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            choose.mutate(String(new FormData(e.currentTarget).get("password")));
          }}
        >
          <Field label="Password" hint="At least 10 characters." error={fieldError(choose.error, "password")}>
            {(p) => <Input {...p} name="password" type="password" autoComplete="new-password" required />}
          </Field>
          <FormProblem problem={choose.error} fields={["password"]} />
          <Button type="submit" kind="main" className="self-start" disabled={choose.isPending}>
            Set the password
          </Button>
        </form>
      )}
    </Frame>
  );
}
