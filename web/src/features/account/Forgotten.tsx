import { useMutation } from "@tanstack/react-query";
import { askForReset } from "../../api/auth";
import { Button, Field, FormProblem, Input } from "../../components/ui";
import { Frame } from "./Frame";

export default function Forgotten() {
  const ask = useMutation({ mutationFn: askForReset });
  return (
    <Frame title="A new password" lead="A mail with a link to choose one goes to your address.">
      {ask.isSuccess ? (
        <p role="status">If somebody signs in with this address, the mail is on its way.</p>
      ) : (
        <form
          className="flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            ask.mutate(String(new FormData(e.currentTarget).get("email")));
          }}
        >
          <Field label="E-mail">
            {(p) => <Input {...p} name="email" type="email" autoComplete="username" required />}
          </Field>
          <FormProblem problem={ask.error} fields={[]} />
          <Button type="submit" kind="main" className="self-start" disabled={ask.isPending}>
            Send the mail
          </Button>
        </form>
      )}
    </Frame>
  );
}
