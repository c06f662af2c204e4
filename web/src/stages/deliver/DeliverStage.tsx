import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { Packages } from "./Packages";
import { QualityReport } from "./QualityReport";
import { Reviewers } from "./Reviewers";
import { Rights } from "./Rights";
import { SingleFiles } from "./SingleFiles";

const VIEWS = ["packages", "quality", "review", "rights", "files"] as const;
type View = (typeof VIEWS)[number];

/** What is handed over and to whom, and whether it is right. */
export function DeliverStage({ production, edition }: StageProps) {
  const { t } = useTranslation();
  const [view, setView] = useState<View>("packages");
  const { language } = edition.edition;
  const move = (by: number) => setView(VIEWS[(VIEWS.indexOf(view) + by + VIEWS.length) % VIEWS.length] as View);
  return (
    <div className="grow min-w-0 flex flex-col min-h-0">
      <div role="tablist" aria-label={t("deliver.views")} className="flex gap-1 px-5 pt-3 shrink-0">
        {VIEWS.map((one) => (
          <button
            key={one}
            type="button"
            role="tab"
            id={`deliver-${one}`}
            aria-selected={view === one}
            aria-controls="deliver-view"
            tabIndex={view === one ? 0 : -1}
            className={`h-8 px-3 rounded-md text-sm ${view === one ? "bg-tide-wash font-semibold" : "text-soft hover:bg-sunk"}`}
            onClick={() => setView(one)}
            onKeyDown={(event) => {
              const by = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
              if (!by) return;
              event.preventDefault();
              move(by);
              const next = VIEWS[(VIEWS.indexOf(view) + by + VIEWS.length) % VIEWS.length];
              document.getElementById(`deliver-${next}`)?.focus();
            }}
          >
            {t(`deliver.view.${one}`)}
          </button>
        ))}
      </div>
      <div role="tabpanel" id="deliver-view" aria-labelledby={`deliver-${view}`} className="grow min-h-0 overflow-auto p-5 pt-3" tabIndex={-1}>
        {view === "packages" && <Packages production={production} language={language} />}
        {view === "quality" && <QualityReport key={language} production={production} language={language} />}
        {view === "review" && <Reviewers production={production} language={language} />}
        {view === "rights" && <Rights key={language} production={production} language={language} />}
        {view === "files" && <SingleFiles production={production} />}
      </div>
    </div>
  );
}
