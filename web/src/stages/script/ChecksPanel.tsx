import { useMemo } from "react";
import { useTranslation } from "react-i18next";

import type { Finding } from "../../shared/api/client";
import type { EditedLine } from "../../shared/script/scriptState";

/** What is odd about the lines, by kind; each leads to its line. */
export function ChecksPanel({ findings, lines, onGo }: { findings: readonly Finding[] | undefined; lines: readonly EditedLine[]; onGo: (line: number) => void }) {
  const { t } = useTranslation();
  const numbers = useMemo(() => new Map(lines.map((line, index) => [line.id, index + 1])), [lines]);
  if (!findings) return <p className="text-sm text-soft" role="status">{t("common.loading")}</p>;
  if (!findings.length) return <p className="text-sm text-soft">{t("script.nothingOdd")}</p>;
  const kinds = [...new Set(findings.map((one) => one.code))];
  return (
    <div className="flex flex-col gap-3">
      {kinds.map((kind) => {
        const some = findings.filter((one) => one.code === kind && numbers.has(one.line));
        return (
          <section key={kind} aria-label={t(`check.${kind}`)}>
            <h3 className="flex justify-between text-sm font-semibold">
              <span>{t(`check.${kind}`)}</span>
              <span className="text-soft font-normal">{some.length}</span>
            </h3>
            <ul>
              {some.slice(0, 50).map((one) => (
                <li key={`${one.line}${one.message}`}>
                  <button type="button" className="w-full flex gap-2 text-start text-sm rounded-sm px-1 py-0.5 hover:bg-sunk" onClick={() => onGo(one.line)}>
                    <span className="w-9 shrink-0 text-end text-soft text-xs pt-0.5">{numbers.get(one.line)}</span>
                    <span className="min-w-0">{one.message}</span>
                  </button>
                </li>
              ))}
              {some.length > 50 && <li className="text-xs text-soft ps-12">{t("script.andMore", { count: some.length - 50 })}</li>}
            </ul>
          </section>
        );
      })}
    </div>
  );
}
