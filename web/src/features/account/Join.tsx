/** Taking an invitation: signed in as the invited address, or with a new password where there is no account yet. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { signOut } from "../../api/auth";
import { client, data, type Schemas } from "../../api/client";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button, Failed, FormProblem, Loading } from "../../components/ui";
import { password, z } from "../../lib/zod";
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
          <NewPerson offer={o} take={take.mutateAsync} />
        ))}
    </Frame>
  );
}

interface NewProps {
  offer: Schemas["OfferOut"];
  take: (given: { name: string; password: string }) => Promise<unknown>;
}

function NewPerson({ offer, take }: NewProps) {
  const form = useServerForm({
    schema: z.object({ name: z.string(), password }),
    values: { name: offer.name, password: "" },
    send: take,
  });
  return (
    <Form form={form}>
      <input type="hidden" name="username" autoComplete="username" value={offer.email} readOnly />
      <Written form={form} name="name" label="Your name" autoComplete="name" />
      <Written
        form={form}
        name="password"
        label="Choose a password"
        hint="At least 10 characters."
        type="password"
        autoComplete="new-password"
      />
      <Unplaced form={form} />
      <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
        Join {offer.workspace}
      </Button>
    </Form>
  );
}
