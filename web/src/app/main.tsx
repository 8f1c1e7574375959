import "./style.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Toaster } from "sonner";
import { Problem } from "../api/client";
import { applyPreferences, readPreferences } from "../features/account/preferences";
import { makeRouter } from "./router";

applyPreferences(readPreferences());
const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // What is wrong with the request stays wrong; what is wrong with the server may pass.
      retry: (failures, error) =>
        failures < 2 && !(error instanceof Problem && error.status >= 400 && error.status < 500),
    },
  },
});
const router = makeRouter(queries);

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
        <Toaster
          position="bottom-right"
          toastOptions={{ style: { fontFamily: "var(--font-text)", borderRadius: 4 } }}
        />
      </QueryClientProvider>
    </StrictMode>,
  );
