import { useState } from "react";
import { askForReset } from "../../api/auth";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button } from "../../components/ui";
import { email, z } from "../../lib/zod";
import { Frame } from "./Frame";

export default function Forgotten() {
  const [asked, setAsked] = useState(false);
  const form = useServerForm({
    schema: z.object({ email }),
    values: { email: "" },
    send: (given) => askForReset(given.email),
    done: () => setAsked(true),
  });
  return (
    <Frame title="A new password" lead="A mail with a link to choose one goes to your address.">
      {asked ? (
        <p role="status">If an account has this address, the mail is on its way.</p>
      ) : (
        <Form form={form}>
          <Written form={form} name="email" label="E-mail" type="email" autoComplete="username" />
          <Unplaced form={form} />
          <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
            Send the mail
          </Button>
        </Form>
      )}
    </Frame>
  );
}
