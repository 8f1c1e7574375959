/** The kept path whose steps stand beside each landing page. */
import { useQuery } from "@tanstack/react-query";
import { Word } from "../../components/LensSentence";
import { keptQuery } from "../paths/queries";

interface Props {
  siteId: number;
  path: number | undefined;
  choose: (path: number | undefined) => void;
}

export function PathWord({ siteId, path, choose }: Props) {
  // Steps over several visits belong to no one landing page.
  const kept = useQuery(keptQuery(siteId)).data?.filter((p) => p.within === null) ?? [];
  if (!kept.length && !path) return null;
  return (
    <>
      , with{" "}
      <Word
        label="Steps of"
        text={path ? `the steps of ${kept.find((p) => p.id === path)?.name ?? "a path"}` : "no path’s steps"}
        value={String(path ?? "none")}
        choices={[
          { value: "none", text: "no path’s steps" },
          ...kept.map((p) => ({ value: String(p.id), text: p.name, group: "The steps of" })),
        ]}
        choose={(value) => choose(value === "none" ? undefined : Number(value))}
      />
    </>
  );
}
