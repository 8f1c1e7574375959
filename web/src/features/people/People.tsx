import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Chosen, Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, Failed, FormProblem, Head, Loading, Select } from "../../components/ui";
import { day } from "../../lib/format";
import { useSession, useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { email, z } from "../../lib/zod";
import { invitationsQuery, membersQuery } from "./queries";
import { Tokens } from "./Tokens";

type Role = Schemas["Member"]["role"];
const ROLES: Record<Role, string> = {
  viewer: "viewer: looks",
  editor: "editor: looks and changes",
  owner: "owner: also manages people",
};

const schema = z.object({ name: z.string(), email, role: z.enum(["viewer", "editor", "owner"]) });

function RoleOptions() {
  return Object.entries(ROLES).map(([role, text]) => (
    <option key={role} value={role}>
      {text}
    </option>
  ));
}

export default function People() {
  const site = useSite(useSiteId());
  const me = useSession().data?.email;
  const queries = useQueryClient();
  const path = { workspace_id: site.workspaceId };
  const members = useQuery(membersQuery(site.workspaceId));
  const again = () => queries.invalidateQueries({ queryKey: membersQuery(site.workspaceId).queryKey });
  const change = useMutation({
    mutationFn: ({ id, role }: { id: number; role: Role }) =>
      data(
        client.PATCH("/api/workspaces/{workspace_id}/members/{user_id}", {
          params: { path: { ...path, user_id: id } },
          body: { role },
        }),
      ),
    onSettled: again,
  });
  const remove = useMutation({
    mutationFn: (m: Schemas["Member"]) =>
      data(
        client.DELETE("/api/workspaces/{workspace_id}/members/{user_id}", {
          params: { path: { ...path, user_id: m.user_id } },
        }),
      ),
    onSuccess: (_, m) => toast(`${m.name || m.email} is no longer a member.`),
    onSettled: again,
  });
  const owner = site.role === "owner";
  return (
    <>
      <Head title="People" lead="Everybody here sees all sites of the workspace." />
      {members.isPending && <Loading what="the members" />}
      {members.isError && <Failed error={members.error} retry={members.refetch} />}
      <FormProblem problem={change.error ?? remove.error} fields={[]} />
      {members.data && (
        <Scroll label="Members" className="mt-4 max-w-5xl">
          <Table
            columns={[
              {
                key: "name",
                head: "Name",
                text: true,
                cell: (m) => (
                  <>
                    {m.name || "–"}
                    {m.email === me && <span className="text-quiet"> (you)</span>}
                    {!m.has_signed_in && <span className="text-quiet"> · has not signed in yet</span>}
                  </>
                ),
              },
              { key: "e-mail", head: "E-mail", text: true, cell: (m) => m.email },
              {
                key: "role",
                head: "Role",
                text: true,
                cell: (m) =>
                  owner ? (
                    <Select
                      aria-label={`Role of ${m.name || m.email}`}
                      className="w-auto!"
                      value={m.role}
                      onChange={(e) => change.mutate({ id: m.user_id, role: e.target.value as Role })}
                    >
                      <RoleOptions />
                    </Select>
                  ) : (
                    ROLES[m.role]
                  ),
              },
              {
                key: "remove",
                head: <span className="sr-only">Remove</span>,
                cell: (m) =>
                  owner &&
                  m.email !== me && (
                    <Button kind="against" onClick={() => remove.mutate(m)}>
                      Remove
                    </Button>
                  ),
              },
            ]}
            rows={members.data}
            rowKey={(m) => m.user_id}
          />
        </Scroll>
      )}
      {owner ? (
        <Add workspaceId={site.workspaceId} />
      ) : (
        <p className="mt-4 text-quiet">An owner can invite people and change roles.</p>
      )}
      {site.canEdit && <Tokens workspaceId={site.workspaceId} />}
    </>
  );
}

function Add({ workspaceId }: { workspaceId: number }) {
  const queries = useQueryClient();
  const path = { workspace_id: workspaceId };
  const open = useQuery(invitationsQuery(workspaceId));
  const again = () => queries.invalidateQueries({ queryKey: invitationsQuery(workspaceId).queryKey });
  const invite = useMutation({
    mutationFn: (body: Schemas["NewInvitation"]) =>
      data(client.POST("/api/workspaces/{workspace_id}/invitations", { params: { path }, body })),
    onSuccess: (made) => toast(`The invitation is on its way to ${made.email}.`),
    onSettled: again,
  });
  const form = useServerForm({
    schema,
    values: { name: "", email: "", role: "viewer" },
    send: invite.mutateAsync,
    resets: true,
  });
  const takeBack = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/workspaces/{workspace_id}/invitations/{invitation_id}", {
          params: { path: { ...path, invitation_id: id } },
        }),
      ),
    onSettled: again,
  });
  return (
    <section aria-labelledby="add" className="mt-6 max-w-5xl">
      <h2 id="add" className="mb-1 text-title">
        Invite a colleague
      </h2>
      <p className="mb-3 text-quiet">
        A mail goes to the address. Only its reader can accept the invitation, for 7 days.
      </p>
      <Form form={form} className="grid items-start gap-3 sm:grid-cols-[1fr_1fr_1fr_auto]">
        <Written form={form} name="name" label="Name" />
        <Written form={form} name="email" label="E-mail" type="email" />
        <Chosen form={form} name="role" label="Role">
          <RoleOptions />
        </Chosen>
        <Button type="submit" kind="main" className="sm:mt-[26px]" disabled={form.pending}>
          Send the invitation
        </Button>
      </Form>
      <Unplaced form={form} />
      <FormProblem problem={takeBack.error} fields={[]} />
      {open.isError && <Failed error={open.error} retry={open.refetch} />}
      {open.data && open.data.length > 0 && (
        <>
          <h3 className="mt-5 mb-1 text-lead">Not taken yet</h3>
          <ul>
            {open.data.map((i) => (
              <li key={i.id} className="flex flex-wrap items-baseline justify-between gap-3 border-b py-1.5">
                <span>
                  <bdi>{i.email}</bdi>
                  <span className="text-quiet">
                    {" "}
                    · {ROLES[i.role]} · until {day(i.expires_at)}
                  </span>
                </span>
                <span className="flex gap-2">
                  <Button
                    disabled={invite.isPending}
                    onClick={() => invite.mutate({ name: i.name, email: i.email, role: i.role })}
                  >
                    Send it again
                  </Button>
                  <Button kind="against" disabled={takeBack.isPending} onClick={() => takeBack.mutate(i.id)}>
                    Take it back
                  </Button>
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
