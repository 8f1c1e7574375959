/** All plans: what each costs and brings, and whether it is doing what it should. */
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { ListTable } from "../../components/ListTable";
import { Button, cx, Empty, Failed, Head, Loading } from "../../components/ui";
import { count, day, money, several } from "../../lib/format";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { channelsQuery } from "../channels/queries";
import { lensChoicesQuery } from "../pages/queries";
import { scaleText } from "../report/columns";
import { plansQuery } from "./queries";
import { RoasBar, roasScale } from "./RoasBar";

const STATES = { draft: "draft", running: "running", ended: "ended" };

export default function Plans() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const navigate = useNavigate();
  const plans = useQuery(plansQuery(siteId));
  const channels = useQuery(channelsQuery(siteId));
  const able = channels.data?.some((c) => c.plans);
  const write = () => navigate({ to: "/s/$siteId/plans/$planId", params: { siteId: String(siteId), planId: "new" } });
  const breakEven = useQuery(lensChoicesQuery(siteId, {})).data?.break_even_roas ?? undefined;
  const scale = roasScale(plans.data ?? [], breakEven);
  return (
    <>
      <Head
        title="Plans"
        lead="What is shown to whom, for how much, and what comes of it."
        actions={
          site.canEdit &&
          able && (
            <Button kind="main" onClick={write}>
              New plan
            </Button>
          )
        }
      />
      <div className="mt-4">
        {(plans.isPending || channels.isPending) && <Loading what="the plans" />}
        {plans.isError && <Failed error={plans.error} retry={plans.refetch} />}
        {plans.data?.length === 0 && channels.data && (
          <Empty title={able ? "No plan yet." : "First a channel that runs plans."}>
            <p>
              {able
                ? "A plan says for which conversion which creatives are shown to which audiences, and what that may cost."
                : "Plans run at a channel that takes them; the practice network is one, and costs nothing. Add it under Spend, Channels."}
            </p>
            {able ? (
              site.canEdit && (
                <Button kind="main" onClick={write}>
                  Write the first plan
                </Button>
              )
            ) : (
              <Link
                to="/s/$siteId/spend"
                params={{ siteId: String(siteId) }}
                search={{ part: "channels" }}
                className="text-plum underline"
              >
                To the channels
              </Link>
            )}
          </Empty>
        )}
        {!!plans.data?.length && (
          <ListTable
            of="plans"
            says={(p) => [p.name, p.aim_name, p.shown_to, p.channel_name, p.says, STATES[p.state]].join("\n")}
            columns={[
              {
                key: "name",
                head: "Plan",
                text: true,
                order: (p) => p.name,
                className: "whitespace-normal! min-w-72",
                cell: (p) => (
                  <>
                    <Link
                      to="/s/$siteId/plans/$planId"
                      params={{ siteId: String(siteId), planId: String(p.id) }}
                      className="font-semibold text-plum underline decoration-line underline-offset-4"
                    >
                      {p.name}
                    </Link>
                    <div className="text-small text-quiet">
                      {several(p.aim_name)} from {p.shown_to || "nobody yet"}, on {p.channel_name}
                      {p.simulation && ", a simulation"}
                    </div>
                    {p.says && (
                      <div
                        className={cx("mt-1 border-l-4 pl-2 text-small", p.pays ? "border-fern" : "border-marigold")}
                      >
                        {p.says}
                      </div>
                    )}
                  </>
                ),
              },
              {
                key: "state",
                head: "State",
                text: true,
                order: (p) => STATES[p.state],
                cell: (p) => (
                  <>
                    <span className={p.state === "running" ? "font-semibold text-fern" : "text-quiet"}>
                      {STATES[p.state]}
                    </span>
                    <div className="text-small text-quiet">
                      {p.state === "running" && p.first ? `since ${day(p.first)}` : ""}
                      {p.state === "ended" ? day(p.ended_at) : ""}
                    </div>
                  </>
                ),
              },
              {
                key: "budget",
                head: "A day",
                order: (p) => Number(p.daily_budget),
                cell: (p) => money(p.daily_budget, site.currency, Number(p.daily_budget) % 1 ? 2 : 0),
              },
              {
                key: "cost",
                head: "Spent",
                order: (p) => Number(p.cost),
                cell: (p) => (p.state === "draft" ? "–" : money(p.cost, site.currency)),
                hint: "As the channel says, today included. Pages and Sources have it from the next morning on.",
              },
              {
                key: "clicks",
                head: "Clicks",
                order: (p) => p.clicks,
                cell: (p) => (p.state === "draft" ? "–" : count(p.clicks)),
              },
              {
                key: "conversions",
                head: "Conversions",
                order: (p) => Number(p.conversions),
                cell: (p) => (p.state === "draft" ? "–" : count(Number(p.conversions))),
                hint: "Of its aim, credited to its clicks by last paid touch.",
              },
              {
                key: "each",
                head: "Cost per conversion",
                order: (p) => (p.cost_of_one == null ? null : Number(p.cost_of_one)),
                cell: (p) => (p.cost_of_one == null ? "–" : money(p.cost_of_one, site.currency)),
              },
              {
                key: "roas",
                head: `ROAS, ${scaleText(scale)}`,
                order: (p) => (p.roas == null ? null : Number(p.roas)),
                cell: (p) => <RoasBar roas={p.roas} interval={p.roas_interval} scale={scale} breakEven={breakEven} />,
              },
            ]}
            rows={plans.data}
            rowKey={(p) => p.id}
          />
        )}
      </div>
    </>
  );
}
