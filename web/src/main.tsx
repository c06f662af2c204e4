import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { lazy, StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";

import { Notices } from "./shared/notices";
import "./index.css";
import "./shared/words";
import { queryClient } from "./shared/api/queries";

// Whoever has a link needs nothing of the workplace, and the other way round. What is needed is asked for at once.
const linkPage = () => import("./review/LinkPage").then((one) => ({ default: one.LinkPage }));
const app = () => import("./App").then((one) => ({ default: one.App }));
void (/^\/(review|listen)\//.test(window.location.pathname) ? linkPage() : app());
const LinkPage = lazy(linkPage);
const App = lazy(app);

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queryClient}>
      {/* Drawn at once: a transition would wait behind the playing time, which moves with every frame. */}
      <BrowserRouter useTransitions={false}>
        <Tooltip.Provider delayDuration={350}>
          <Suspense fallback={null}>
            <Routes>
              <Route path="/review/:token" element={<LinkPage />} />
              <Route path="/listen/:token" element={<LinkPage />} />
              <Route path="*" element={<App />} />
            </Routes>
          </Suspense>
          <Notices />
        </Tooltip.Provider>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
