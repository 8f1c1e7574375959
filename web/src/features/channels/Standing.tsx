/** How far a channel is: with an audience, and with the conversions that it is told of. */
import { cx } from "../../components/ui";
import { ago, count, hour } from "../../lib/format";
import type { AdChannel, AudienceUse, Feedback } from "./queries";

/** Whom of an audience the channel knows, in words. */
export function WhoIsThere({ use }: { use: AudienceUse }) {
  if (use.kind === "files")
    return use.done_at ? (
      <>
        {count(use.there)} given by file, {ago(use.done_at)}
      </>
    ) : (
      <>no file taken yet</>
    );
  if (use.ending) return <>being removed there</>;
  const under = use.wanted == null || use.done_at == null || use.there + use.refused !== use.wanted;
  return (
    <>
      {use.known != null && use.as_of ? (
        <>
          <span className="num">
            {count(use.known)} of {count(use.there)}
          </span>{" "}
          known there, as of {hour(use.as_of)}
          {!use.ready && ", still being worked in"}
        </>
      ) : (
        <>
          <span className="num">{count(use.there)}</span> there
        </>
      )}
      {under && use.wanted != null && (
        <>
          , <span className="num">{count(Math.max(0, use.wanted - use.there - use.refused))}</span> on their way
        </>
      )}
      {use.refused > 0 && (
        <span className="text-brick">
          , <span className="num">{count(use.refused)}</span> refused
        </span>
      )}
    </>
  );
}

export function Told({ of }: { of: Feedback }) {
  if (!of.sent) return <span className="text-quiet">none yet</span>;
  return (
    <span>
      <span className="num">{count(of.taken)}</span> of <span className="num">{count(of.sent)}</span> accepted
      {of.refused > 0 && (
        <span className="text-brick">
          , <span className="num">{count(of.refused)}</span> refused
        </span>
      )}
      {of.waiting > 0 && (
        <>
          , <span className="num">{count(of.waiting)}</span> waiting
          {of.oldest_waiting && ` since ${ago(of.oldest_waiting)}`}
        </>
      )}
    </span>
  );
}

export function Answering({ channel }: { channel: AdChannel }) {
  if (channel.kind === "files") return <span className="text-quiet">by files</span>;
  if (channel.failing_since)
    return (
      <span className="text-brick">
        {channel.failure} Since {ago(channel.failing_since)}; tried again by itself.
      </span>
    );
  return (
    <span className={cx(!channel.told_at && "text-quiet")}>
      {channel.told_at ? `answered ${ago(channel.told_at)}` : "not asked yet"}
    </span>
  );
}
