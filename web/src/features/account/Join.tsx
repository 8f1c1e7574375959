/** Taking an invitation: signed in as the invited address, or with a new password where there is no account yet. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { signOut } from "../../api/auth";
import { client, data } from "../../api/client";
import { Button, Failed, Field, FormProblem, fieldError, Input, Loading } from "../../components/ui";
import { Frame } from "./Frame";
import { offerQuery } from "./queries";

export default function Join() {
  const { token } = useParams({ from: "/join/$token" });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const path = { params: { path: { token } } };
  const offer = useQuery(offerQuery(token));
  const take = useMutation({
    mutationFn: (body: { name: string; password: string }) =>
      data(client.POST("/api/invitations/{token}/take", { ...path, body })),
    onSuccess: async () => {
      queries.clear();
      await navigate({ to: "/" });
    },
  });
  const leave = useMutation({ mutationFn: signOut, onSettled: () => offer.refetch() });
  const o = offer.data;
  return (
    <Frame
      title="You are invited"
      lead={o && `${o.invited_by || "An owner"} invites ${o.email} to ${o.workspace}, as ${o.role}.`}
    >
      {offer.isPending && <Loading what="the invitation" />}
      {offer.isError && <Failed error={offer.error} />}
      {o &&
        (o.signed_in_as === o.email ? (
          <div className="flex flex-col items-start gap-3">
            <FormProblem problem={take.error} fields={[]} />
            <Button kind="main" disabled={take.isPending} onClick={() => take.mutate({ name: "", password: "" })}>
              Join {o.workspace}
            </Button>
          </div>
        ) : o.signed_in_as ? (
          <div className="flex flex-col items-start gap-3">
            <p>
              You are signed in as {o.signed_in_as}. The invitation is for {o.email}.
            </p>
            <Button disabled={leave.isPending} onClick={() => leave.mutate()}>
              Sign out
            </Button>
          </div>
        ) : o.has_account ? (
          <p>
            <Link to="/sign-in" search={{ next: `/join/${token}` }} className="text-plum underline">
              Sign in as {o.email}
            </Link>{" "}
            and come back here.
          </p>
        ) : (
          <form
            className="flex flex-col gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              const form = new FormData(e.currentTarget);
              take.mutate({ name: String(form.get("name")), password: String(form.get("password")) });
            }}
          >
            <input type="hidden" name="username" autoComplete="username" value={o.email} readOnly />
            <Field label="Your name">
              {(p) => <Input {...p} name="name" defaultValue={o.name} autoComplete="name" />}
            </Field>
            <Field label="Choose a password" hint="At least 10 characters." error={fieldError(take.error, "password")}>
              {(p) => <Input {...p} name="password" type="password" autoComplete="new-password" required />}
            </Field>
            <FormProblem problem={take.error} fields={["password"]} />
            <Button type="submit" kind="main" className="self-start" disabled={take.isPending}>
              Join {o.workspace}
            </Button>
          </form>
        ))}
    </Frame>
  );
}
