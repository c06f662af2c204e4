import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";

import { App } from "./App";
import "./index.css";
import { Notices } from "./shared/notices";
import "./shared/words";
import { queryClient } from "./shared/api/queries";

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queryClient}>
      {/* Drawn at once: a transition would wait behind the playing time, which moves with every frame. */}
      <BrowserRouter useTransitions={false}>
        <Tooltip.Provider delayDuration={350}>
          <App />
          <Notices />
        </Tooltip.Provider>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
