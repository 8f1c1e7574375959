/** What the server knows of plans. */
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

export type AdPlan = Schemas["AdPlanOut"];
export type PlanIn = Schemas["AdPlanIn"];
export type Effect = Schemas["PlanEffectOut"];
export type Results = Schemas["PlanResultsOut"];
export type Part = Schemas["PlanPartOut"];
export type Seek = Schemas["SeekJson"];

const one = (siteId: number, planId: number) => ({ params: { path: { site_id: siteId, plan_id: planId } } });

export const plansQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["plans", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/plans", { params: { path: { site_id: siteId } } })),
    refetchInterval: 30_000,
  });

export const planQuery = (siteId: number, planId: number) =>
  queryOptions({
    queryKey: ["plans", siteId, planId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/plans/{plan_id}", one(siteId, planId))),
  });

export const resultsQuery = (siteId: number, planId: number, running: boolean) =>
  queryOptions({
    queryKey: ["plans", siteId, planId, "results"],
    queryFn: () => data(client.GET("/api/sites/{site_id}/plans/{plan_id}/results", one(siteId, planId))),
    refetchInterval: running ? 15_000 : false,
  });

/** What a plan may bring; `body` without its name, which changes nothing. */
export const effectQuery = (siteId: number, planId: number | undefined, body: PlanIn | undefined) =>
  queryOptions({
    queryKey: ["plan effect", siteId, planId, body],
    queryFn: ({ signal }) =>
      data(
        client.POST("/api/sites/{site_id}/plans/effect", {
          params: { path: { site_id: siteId }, query: { plan: planId } },
          body: body as PlanIn,
          signal,
        }),
      ),
    enabled: body !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
  });

const at = (siteId: number, channelId: number) => ({
  params: { path: { site_id: siteId, channel_id: channelId } },
});

export const choicesQuery = (siteId: number, channelId: number) =>
  queryOptions({
    queryKey: ["seek choices", siteId, channelId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/channels/{channel_id}/people", at(siteId, channelId))),
    staleTime: 600_000,
    retry: false,
  });

export const newPeopleQuery = (siteId: number, channelId: number, seek: Seek) =>
  queryOptions({
    queryKey: ["new people", siteId, channelId, seek],
    queryFn: ({ signal }) =>
      data(
        client.POST("/api/sites/{site_id}/channels/{channel_id}/people", {
          ...at(siteId, channelId),
          body: seek,
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 600_000,
  });
