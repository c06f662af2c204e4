import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import "../index.css";
import { LinkPage } from "./LinkPage";

const [, , token = ""] = window.location.pathname.split("/");

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={new QueryClient()}>
      <LinkPage token={decodeURIComponent(token)} />
    </QueryClientProvider>
  </StrictMode>,
);
