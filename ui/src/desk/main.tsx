import "../kit/fonts";

import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import { Refused } from "../api/client";
import { Materials } from "../kit/tokens";
import { Desk } from "./Desk";
import { fetchRoomAt } from "./rooms";
import { applyScheme } from "./room/scheme";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // What is refused stays refused; what cannot be reached is asked for again, for ever.
      retry: (count, error) =>
        error instanceof Refused && error.problem.status > 0 && error.problem.status < 500
          ? false
          : count < 1000,
      retryDelay: (count) => Math.min(500 * 2 ** count, 4000),
      staleTime: 2000,
    },
  },
});

applyScheme();
fetchRoomAt(window.location.pathname);

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <Materials />
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Desk />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
