/** What the server knows of split tests. */
import { queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";
import type { Lens } from "../../lib/lens";

export const testsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["tests", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/tests", { params: { path: { site_id: siteId } } })),
  });

export const planQuery = (siteId: number, body: Schemas["SplitTestIn"] | undefined) =>
  queryOptions({
    // The name changes nothing in it.
    queryKey: ["plan", siteId, body && { ...body, name: "" }],
    queryFn: ({ signal }) =>
      data(
        client.POST("/api/sites/{site_id}/tests/plan", {
          params: { path: { site_id: siteId } },
          body: body as Schemas["SplitTestIn"],
          signal,
        }),
      ),
    enabled: body !== undefined,
    placeholderData: (before) => before,
    retry: false,
  });

type Words = Pick<Lens, "origin" | "device" | "audience" | "model">;
export const resultQuery = (siteId: number, testId: number, { origin, device, audience, model }: Words) =>
  queryOptions({
    queryKey: ["tests", siteId, testId, origin, device, audience, model],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/tests/{test_id}", {
          params: { path: { site_id: siteId, test_id: testId }, query: { origin, device, audience, model } },
        }),
      ),
    placeholderData: (before) => before,
  });

/** What is looked at before a start; the pages are asked for, so it takes a moment. */
export const checklistQuery = (siteId: number, testId: number) =>
  queryOptions({
    queryKey: ["tests", siteId, testId, "checklist"],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/tests/{test_id}/checklist", {
          params: { path: { site_id: siteId, test_id: testId } },
        }),
      ),
  });

export const groupsQuery = (siteId: number, testId: number) =>
  queryOptions({
    queryKey: ["tests", siteId, testId, "groups"],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/tests/{test_id}/groups", {
          params: { path: { site_id: siteId, test_id: testId } },
        }),
      ),
  });

/** Links that show each variant, good for two hours. */
export const looksQuery = (siteId: number, testId: number) =>
  queryOptions({
    queryKey: ["tests", siteId, testId, "looks"],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/tests/{test_id}/looks", {
          params: { path: { site_id: siteId, test_id: testId } },
        }),
      ),
    staleTime: 3_600_000,
  });
