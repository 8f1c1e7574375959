import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { useSiteId } from "../../app/Shell";
import { useSession, useSite } from "../../app/session";
import { Scroll } from "../../parts/Scroll";
import { Button, CopyLine, Failed, Field, FormProblem, fieldError, Head, Input, Loading, Select } from "../../parts/ui";

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
  const members = useQuery({
    queryKey: ["members", site.workspaceId],
    queryFn: () => data(client.GET("/api/workspaces/{workspace_id}/members", { params: { path } })),
  });
  const again = () => queries.invalidateQueries({ queryKey: ["members", site.workspaceId] });
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
        <Scroll label="Members" className="mt-4 max-w-4xl">
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
        <Add workspaceId={site.workspaceId} added={again} />
      ) : (
        <p className="mt-4 text-quiet">An owner can add people and change roles.</p>
      )}
    </>
  );
}

function Add({ workspaceId, added }: { workspaceId: number; added: () => void }) {
  const [link, setLink] = useState("");
  const add = useMutation({
    mutationFn: (form: FormData) =>
      data(
        client.POST("/api/workspaces/{workspace_id}/members", {
          params: { path: { workspace_id: workspaceId } },
          body: { name: String(form.get("name")), email: String(form.get("email")), role: form.get("role") as Role },
        }),
      ),
    onSuccess: (made) => {
      setLink(made.link);
      added();
    },
  });
  return (
    <section aria-labelledby="add" className="mt-6 max-w-4xl">
      <h2 id="add" className="mb-2 text-[17px]">
        Add somebody
      </h2>
      <form
        className="grid items-start gap-3 sm:grid-cols-[1fr_1fr_1fr_auto]"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate(new FormData(e.currentTarget));
        }}
      >
        <Field label="Name">{(p) => <Input {...p} name="name" required />}</Field>
        <Field label="E-mail" error={fieldError(add.error, "email")}>
          {(p) => <Input {...p} name="email" type="email" required />}
        </Field>
        <Field label="Role">
          {(p) => (
            <Select {...p} name="role" defaultValue="viewer">
              <RoleOptions />
            </Select>
          )}
        </Field>
        <Button type="submit" kind="main" className="sm:mt-[26px]" disabled={add.isPending}>
          Add
        </Button>
      </form>
      <FormProblem problem={add.error} fields={["email"]} />
      {link && (
        <div className="mt-3">
          <p className="mb-1">
            A mail with this link to choose a password is on its way. You can also pass it on yourself:
          </p>
          <CopyLine text={link} label="the link to choose a password" />
        </div>
      )}
    </section>
  );
}
