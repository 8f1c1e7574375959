/** The install kit: what to paste, where it goes, on which pages, and how to see that it worked. */
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Radios } from "../../components/Radios";
import { CopyLine, cx } from "../../components/ui";

type Piece = Schemas["PieceOut"];

export function Kit({ pieces }: { pieces: Piece[] }) {
  const [chosen, setChosen] = useState(pieces[0]?.id);
  const piece = pieces.find((p) => p.id === chosen) ?? pieces[0];
  if (!piece) return null;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-5 lg:grid-cols-[250px_minmax(0,1fr)]">
      <div>
        <p className="mb-1 font-medium">Where will you paste it?</p>
        <Radios
          label="Where will you paste it?"
          className="flex flex-col gap-0.5"
          choices={Object.fromEntries(pieces.map((p) => [p.id, p.title]))}
          chosen={piece.id}
          choose={setChosen}
          itemClass={(id) =>
            cx(
              "rounded-box border px-2 py-1.5",
              id === piece.id ? "border-plum bg-surface" : "border-transparent hover:border-line",
            )
          }
        />
      </div>
      <div className="min-w-0">
        <h2 className="mb-2 text-lead">{piece.title}</h2>
        {piece.lines.map((line) => (
          <CopyLine key={line} text={line} label={`the text for: ${piece.title.toLowerCase()}`} />
        ))}
        <div className="mt-3 grid grid-cols-[minmax(0,1fr)] gap-5 md:grid-cols-[210px_minmax(0,1fr)]">
          <Drawing place={piece.place} />
          <dl className="flex flex-col gap-2">
            <div>
              <dt className="font-medium">Where it goes</dt>
              <dd>{piece.where}</dd>
            </div>
            <div>
              <dt className="font-medium">On which pages</dt>
              <dd>{piece.pages}</dd>
            </div>
            <div>
              <dt className="font-medium">How to see that it worked</dt>
              <dd>{piece.proof}</dd>
            </div>
          </dl>
        </div>
      </div>
    </div>
  );
}

const SAID: Record<Piece["place"], string> = {
  head: "at the top of the page’s head",
  body: "first in the page’s body",
  frame: "in the head of the form’s own page, inside the frame",
  header: "in the header that the server sends before the page",
  mail: "anywhere in the body",
};

/** One page from the side, with the place where the line goes. */
function Drawing({ place }: { place: Piece["place"] }) {
  const line = (
    <span className="num flex items-center rounded-[2px] bg-plum px-1.5 text-mark text-paper">the line</span>
  );
  const part = "flex flex-col gap-1 border px-2 py-1.5";
  const rest = "block h-1.5 rounded-[1px] bg-line";
  return (
    <div role="img" aria-label={`A page: the line goes ${SAID[place]}`} className="self-start text-mark">
      <div className={cx(part, "border-dashed", place !== "header" && "text-quiet")}>
        <span className="num">headers of the answer</span>
        {place === "header" && line}
      </div>
      <div className="num border-x px-2 pt-1">&lt;html&gt;</div>
      <div className="border-x px-2 py-1">
        <div className={part}>
          <span className="num">&lt;head&gt;</span>
          {place === "head" && line}
          <span className={cx(rest, "w-4/5")} />
          <span className={cx(rest, "w-3/5")} />
        </div>
        <div className={cx(part, "mt-1")}>
          <span className="num">&lt;body&gt;</span>
          {place === "body" && line}
          <span className={cx(rest, "w-full")} />
          <span className={cx(rest, "w-4/5")} />
          {place === "frame" && (
            <div className={cx(part, "border-dashed")}>
              <span className="num">frame: the form’s page</span>
              <div className={part}>
                <span className="num">&lt;head&gt;</span>
                {line}
              </div>
            </div>
          )}
          {place === "mail" && line}
          <span className={cx(rest, "w-3/5")} />
        </div>
      </div>
      <div className="num border-x border-b px-2 pb-1">&lt;/html&gt;</div>
    </div>
  );
}
