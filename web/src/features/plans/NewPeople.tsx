/** New people: a place on the map, what interests them, their age and device; and at each change how many that is. */
import { useQuery } from "@tanstack/react-query";
import { Checkbox } from "../../components/Checkbox";
import { Radios } from "../../components/Radios";
import { Failed, Input, Loading, Select } from "../../components/ui";
import { count } from "../../lib/format";
import { choicesQuery, newPeopleQuery, type Seek } from "./queries";

interface Props {
  siteId: number;
  channelId: number;
  seek: Seek;
  set: (seek: Seek) => void;
}

export function NewPeople({ siteId, channelId, seek, set }: Props) {
  const choices = useQuery(choicesQuery(siteId, channelId));
  const found = useQuery(newPeopleQuery(siteId, channelId, seek));
  if (choices.isPending) return <Loading what="whom the network knows" />;
  if (choices.isError) return <Failed error={choices.error} retry={choices.refetch} />;
  const change = (part: Partial<Seek>) => set({ ...seek, ...part });
  const interests = seek.interests ?? [];
  const devices = seek.devices ?? [];
  return (
    <div className="flex flex-col gap-2.5 text-small">
      <div className="flex items-start gap-3">
        <Towns towns={choices.data.towns} seek={seek} />
        <div className="flex min-w-0 flex-1 flex-col gap-1.5">
          <div className="flex flex-col gap-1">
            Around
            <Select aria-label="Around" value={seek.town} onChange={(e) => change({ town: e.target.value })}>
              <option value="">anywhere</option>
              {choices.data.towns.map((t) => (
                <option key={t.name}>{t.name}</option>
              ))}
            </Select>
          </div>
          {seek.town && (
            <div className="flex items-center gap-2">
              within
              <Input
                aria-label="Kilometres"
                type="number"
                min={1}
                max={500}
                className="num max-w-20"
                value={seek.km}
                onChange={(e) => change({ km: Math.min(500, Math.max(1, Number(e.target.value) || 1)) })}
              />
              km
            </div>
          )}
          <div className="flex flex-wrap items-center gap-1.5">
            Aged
            <Age seek={seek} which="youngest" change={change} label="Youngest" />
            to
            <Age seek={seek} which="oldest" change={change} label="Oldest" />
          </div>
        </div>
      </div>
      <fieldset>
        <legend className="mb-1 font-medium">Into</legend>
        <div className="grid grid-cols-2 gap-x-3 gap-y-1">
          {choices.data.interests.map((name) => (
            <Checkbox
              key={name}
              label={name}
              hint={
                found.data?.each[name] !== undefined && interests.includes(name)
                  ? `${count(found.data.each[name])} people`
                  : undefined
              }
              checked={interests.includes(name)}
              set={(on) => change({ interests: on ? [...interests, name] : interests.filter((i) => i !== name) })}
            />
          ))}
        </div>
      </fieldset>
      {interests.length > 1 && (
        <Radios
          label="One or all of them"
          className="flex gap-4"
          chosen={seek.every ? "all" : "any"}
          choose={(which) => change({ every: which === "all" })}
          choices={{ any: "one of them is enough", all: "all of them" }}
        />
      )}
      <fieldset className="flex gap-4">
        <legend className="sr-only">Devices</legend>
        {choices.data.devices.map((name) => (
          <Checkbox
            key={name}
            label={name}
            checked={!devices.length || devices.includes(name)}
            set={(on) => {
              const now = choices.data.devices.filter((d) =>
                d === name ? on : !devices.length || devices.includes(d),
              );
              change({ devices: now.length === choices.data.devices.length ? [] : now });
            }}
          />
        ))}
      </fieldset>
      <p aria-live="polite" className={found.isFetching ? "opacity-60" : undefined}>
        {found.isError ? (
          <span className="text-brick">{found.error.message}</span>
        ) : found.data ? (
          <>
            <strong className="num text-body">{count(found.data.people)}</strong> people.{" "}
            {found.data.both
              .slice(0, 3)
              .map((b) => `${count(b.people)} are into both ${b.one} and ${b.other}.`)
              .join(" ")}
          </>
        ) : (
          "Counting …"
        )}
      </p>
    </div>
  );
}

function Age({
  seek,
  which,
  change,
  label,
}: {
  seek: Seek;
  which: "youngest" | "oldest";
  change: (part: Partial<Seek>) => void;
  label: string;
}) {
  return (
    <Select
      aria-label={label}
      className="num max-w-20"
      value={seek[which]}
      onChange={(e) => {
        const age = Number(e.target.value);
        change(
          which === "youngest"
            ? { youngest: age, oldest: Math.max(age, seek.oldest ?? 90) }
            : { oldest: age, youngest: Math.min(age, seek.youngest ?? 18) },
        );
      }}
    >
      {[18, 25, 30, 35, 40, 45, 50, 55, 60, 65, 70, 80, 90].map((age) => (
        <option key={age}>{age}</option>
      ))}
    </Select>
  );
}

/** Where the towns lie, and how far around one is sought. */
function Towns({ towns, seek }: { towns: { name: string; east: number; north: number }[]; seek: Seek }) {
  const [side, reach] = [132, 160];
  const at = (km: number) => side / 2 + (km / reach) * (side / 2);
  const chosen = towns.find((t) => t.name === seek.town);
  return (
    <svg
      width={side}
      height={side}
      className="shrink-0 rounded-box border"
      role="img"
      aria-label={chosen ? `${seek.km} km around ${chosen.name}` : "All towns"}
    >
      <rect
        width={side}
        height={side}
        fill={chosen ? "none" : "var(--color-plum)"}
        opacity={chosen ? undefined : 0.12}
      />
      {chosen && (
        <circle
          cx={at(chosen.east)}
          cy={side - at(chosen.north)}
          r={((seek.km ?? 25) / reach) * (side / 2)}
          fill="var(--color-plum)"
          opacity={0.18}
        />
      )}
      {towns.map((t) => (
        <circle
          key={t.name}
          cx={at(t.east)}
          cy={side - at(t.north)}
          r={t.name === seek.town ? 3.5 : 2}
          fill={t.name === seek.town ? "var(--color-plum)" : "var(--color-quiet)"}
        />
      ))}
    </svg>
  );
}
