import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { Button, Failed, Field, FormProblem, fieldError, Head, Input, Loading, Select } from "../../components/ui";
import { day } from "../../lib/format";
import { useSession, useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { invitationsQuery, membersQuery } from "./queries";

type Role = Schemas["Member"]["role"];
const ROLES: Record<Role, string> = {
  viewer: "viewer: looks",
  editor: "editor: looks and changes",
  owner: "owner: also manages people",
};

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
          <table className="bench">
            <thead>
              <tr>
                <th className="text">Name</th>
                <th className="text">E-mail</th>
                <th className="text">Role</th>
                <th>
                  <span className="sr-only">Remove</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {members.data.map((m) => (
                <tr key={m.user_id}>
                  <td className="text">
                    {m.name || "–"}
                    {m.email === me && <span className="text-quiet"> (you)</span>}
                    {!m.has_signed_in && <span className="text-quiet"> · has not signed in yet</span>}
                  </td>
                  <td className="text">{m.email}</td>
                  <td className="text">
                    {owner ? (
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
                    )}
                  </td>
                  <td>
                    {owner && m.email !== me && (
                      <Button kind="against" onClick={() => remove.mutate(m)}>
                        Remove
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </Scroll>
      )}
      {owner ? (
        <Add workspaceId={site.workspaceId} />
      ) : (
        <p className="mt-4 text-quiet">An owner can invite people and change roles.</p>
      )}
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
      <h2 id="add" className="mb-1 text-[17px]">
        Invite somebody
      </h2>
      <p className="mb-3 text-quiet">
        A mail goes to the address. Only whoever reads it there can take the invitation, for 7 days.
      </p>
      <form
        className="grid items-start gap-3 sm:grid-cols-[1fr_1fr_1fr_auto]"
        onSubmit={(e) => {
          e.preventDefault();
          const form = new FormData(e.currentTarget);
          const said = (name: string) => String(form.get(name) ?? "");
          invite.mutate({ name: said("name"), email: said("email"), role: said("role") as Role });
        }}
      >
        <Field label="Name">{(p) => <Input {...p} name="name" />}</Field>
        <Field label="E-mail" error={fieldError(invite.error, "email")}>
          {(p) => <Input {...p} name="email" type="email" required />}
        </Field>
        <Field label="Role">
          {(p) => (
            <Select {...p} name="role" defaultValue="viewer">
              <RoleOptions />
            </Select>
          )}
        </Field>
        <Button type="submit" kind="main" className="sm:mt-[26px]" disabled={invite.isPending}>
          Send the invitation
        </Button>
      </form>
      <FormProblem problem={invite.error ?? takeBack.error} fields={["email"]} />
      {open.isError && <Failed error={open.error} retry={open.refetch} />}
      {open.data && open.data.length > 0 && (
        <>
          <h3 className="mt-5 mb-1 text-[15px]">Not taken yet</h3>
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
