import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { choosePassword } from "../../api/auth";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button } from "../../components/ui";
import { password, z } from "../../lib/zod";
import { Frame } from "./Frame";

export default function Welcome() {
  const { key } = useParams({ from: "/welcome/$key" });
  const [set, setSet] = useState(false);
  const form = useServerForm({
    schema: z.object({ password }),
    values: { password: "" },
    send: (given) => choosePassword(key, given.password),
    done: () => setSet(true),
  });
  return (
    <Frame title="Choose a password" lead="Afterwards you sign in with your e-mail address and this password.">
      {set ? (
        <p>
          It is set.{" "}
          <Link to="/sign-in" className="text-plum underline">
            Sign in
          </Link>
        </p>
      ) : (
        <Form form={form}>
          <Written
            form={form}
            name="password"
            label="Password"
            hint="At least 10 characters."
            type="password"
            autoComplete="new-password"
          />
          <Unplaced form={form} />
          <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
            Set the password
          </Button>
        </Form>
      )}
    </Frame>
  );
}
