/** No more of a mail, without signing in. */
import { useMutation } from "@tanstack/react-query";
import { useParams } from "@tanstack/react-router";
import { client, data } from "../../api/client";
import { Button, Failed } from "../../components/ui";
import { Frame } from "../account/Frame";

export default function Unsubscribe() {
  const { token = "" } = useParams({ strict: false });
  const end = useMutation({
    mutationFn: () => data(client.POST("/api/unsubscribe/{token}", { params: { path: { token } } })),
  });
  // Not at once: programs that look at mails open their links.
  if (!end.data)
    return (
      <Frame title="No more of this mail?" lead="One click, and nothing more goes out to your address.">
        <Button kind="main" className="self-start" disabled={end.isPending} onClick={() => end.mutate()}>
          No more of it
        </Button>
        {end.isError && <Failed error={end.error} />}
      </Frame>
    );
  return (
    <Frame title="It is ended." lead={`“${end.data.view}” no longer goes to ${end.data.to}.`}>
      <p className="text-quiet">The person who sent it can set it up again.</p>
    </Frame>
  );
}
