import { useVirtualizer } from "@tanstack/react-virtual";
import { Tabs } from "radix-ui";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { useQuery, useQueryClient } from "@tanstack/react-query";

import { usePlace } from "../../shared/place";
import { api, data, type EditionLines, type Finding, type Line, type Production } from "../../shared/api/client";
import { useChosen, type How } from "../../shared/useChosen";
import { useKeys } from "../../shared/useKeys";
import { Button, Empty } from "../../shared/ui/controls";
import { ChecksPanel } from "./ChecksPanel";
import { ChosenBar } from "./ChosenBar";
import { FindPanel } from "./FindPanel";
import { GivingBar } from "./GivingBar";
import { HistoryPanel } from "./HistoryPanel";
import { PartHeading, PartsPanel } from "./PartsPanel";
import { ScriptRow, type Frame } from "./ScriptRow";
import { asTable, asText, neighbourFor, type EditedLine, type ScriptState } from "../../shared/script/scriptState";
import { SpeakersPanel } from "./SpeakersPanel";
import { useScript, useScriptActions } from "../../shared/script/useScript";

const PANELS = ["speakers", "parts", "checks", "find", "history"] as const;
type Panel = (typeof PANELS)[number];
type Item = { part: number; first: number } | { line: EditedLine; number: number };

/** The reading copy: the source as a printed play, edited where it stands. */
export function ScriptStage({ production, source }: { production: Production; source: EditionLines | undefined }) {
  const { t } = useTranslation();
  const script = useScript(production.id);
  if (!script) return <p className="p-8 text-soft" role="status">{t("common.loading")}</p>;
  return <ReadingCopy production={production} source={source} script={script} />;
}

function ReadingCopy({ production, source, script }: { production: Production; source: EditionLines | undefined; script: ScriptState }) {
  const { t } = useTranslation();
  const place = usePlace();
  const client = useQueryClient();
  const actions = useScriptActions(production.id);
  const readOnly = production.role === "reader";
  const language = production.source_language;
  const direction = production.editions.find((one) => one.is_source)?.direction ?? "ltr";
  const box = useRef<HTMLDivElement>(null);
  const give = useRef<HTMLInputElement>(null);
  const [panel, setPanel] = useState<Panel>("speakers");
  const [active, setActive] = useState<string | null>(null);
  const [giving, setGiving] = useState(false);
  const wanted = useRef<{ key: string; at: "start" | "end" | number } | null>(null);
  const { lines, speakers, parts } = script;

  const bySpeaker = useMemo(() => new Map(speakers.map((one) => [one.id, one])), [speakers]);
  const items = useMemo(() => {
    const found: Item[] = [];
    lines.forEach((line, index) => {
      if (line.part !== null && line.part !== lines[index - 1]?.part) found.push({ part: line.part, first: line.id });
      found.push({ line, number: index + 1 });
    });
    return found;
  }, [lines]);
  // Before anybody is cast, that nobody is says nothing of a line.
  const takes = useMemo(
    () => new Map<number, Line>(source?.lines.some((line) => line.state !== "uncast" && line.state !== "empty") ? source.lines.map((line) => [line.id, line]) : []),
    [source],
  );
  const checks = useQuery({
    queryKey: ["production", production.id, "checks", language],
    queryFn: () =>
      data(api.GET("/api/productions/{production_id}/editions/{language}/checks/", { params: { path: { production_id: production.id, language } } })),
  });
  const findings = useMemo(() => {
    const map = new Map<number, Finding[]>();
    for (const one of checks.data ?? []) if (!SEEN_ANYWAY.has(one.code)) map.set(one.line, [...(map.get(one.line) ?? []), one]);
    return map;
  }, [checks.data]);

  // The virtualiser hands out functions that change what they give; the compiler's memo is no help here.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: (index) => ("part" in (items[index] ?? {}) ? 48 : 34),
    overscan: 16,
    getItemKey: (index) => {
      const item = items[index];
      return item === undefined ? index : "line" in item ? item.line.key : `part${item.part}/${item.first}`;
    },
  });
  const indexOf = useCallback((id: number) => items.findIndex((item) => "line" in item && item.line.id === id), [items]);

  const now = useCallback(() => client.getQueryData<ScriptState>(["script", production.id]) ?? script, [client, production.id, script]);
  const select = place.select;
  const current = place.line ?? lines[0]?.id ?? null;
  const { ids: chosen, choose: chooseLines, extend, all, letGo } = useChosen(lines, current, select);
  const go = useCallback(
    (from: number, by: number, at?: "start" | "end" | number) => {
      const all = now().lines;
      const index = all.findIndex((line) => line.id === from);
      const to = all[Math.min(all.length - 1, Math.max(0, index + by))];
      if (!to) return;
      if (at !== undefined) wanted.current = { key: to.key, at };
      setActive(to.key);
      letGo();
      if (to.id > 0) select(to.id);
    },
    [now, select, letGo],
  );
  const choose = useCallback(
    (line: number, how: How) => {
      if (document.activeElement instanceof HTMLElement && document.activeElement.closest("textarea")) document.activeElement.blur();
      setActive(null);
      chooseLines(line, how);
    },
    [chooseLines],
  );
  const chosenOr = useCallback((line: number) => (chosen.has(line) ? lines.filter((one) => chosen.has(one.id)).map((one) => one.id) : [line]), [chosen, lines]);
  const moveChosen = useCallback(
    (line: number, by: 1 | -1) => {
      const ids = chosenOr(line);
      const behind = neighbourFor(now().lines, new Set(ids), by);
      const key = now().lines.find((one) => one.id === line)?.key;
      if (behind === undefined) return;
      const typing = document.activeElement instanceof HTMLTextAreaElement;
      void actions.move(ids, behind).then(() => {
        if (typing && key) wanted.current = { key, at: "end" };
        rows.scrollToIndex(Math.max(0, indexOf(line)), { align: "auto" });
      });
    },
    [actions, chosenOr, indexOf, now, rows],
  );
  const drop = useCallback(
    (dropped: number[], before: number) => {
      const all = now().lines.filter((line) => !dropped.includes(line.id) || line.id === before);
      const at = all.findIndex((line) => line.id === before);
      const behind = all.slice(0, at).findLast((line) => !dropped.includes(line.id));
      if (!(dropped.length === 1 && dropped[0] === before)) void actions.move(dropped, behind?.id ?? null);
    },
    [actions, now],
  );
  const join = useCallback(
    async (line: number) => {
      // A moment after it was cut it may have another id than the row that was pressed in.
      const id = await actions.known(line);
      const all = now().lines;
      const before = all[all.findIndex((one) => one.id === id) - 1];
      if (id === null || !before) return;
      const at = before.words.length;
      if (await actions.join(id)) go(before.id, 0, at);
    },
    [actions, go, now],
  );
  const frame: Frame = useMemo(
    () => ({ production: production.id, language, direction, readOnly, fps: production.fps, actions, go, choose, moveChosen, dragged: chosenOr, drop, join }),
    [production.id, language, direction, readOnly, production.fps, actions, go, choose, moveChosen, chosenOr, drop, join],
  );

  // The caret goes where it is wanted as soon as the field is there.
  useLayoutEffect(() => {
    const to = wanted.current;
    if (!to) return;
    const index = items.findIndex((item) => "line" in item && item.line.key === to.key);
    if (index < 0) return;
    const field = box.current?.querySelector<HTMLTextAreaElement>(`textarea[data-words="${to.key}"]`);
    if (!field) {
      rows.scrollToIndex(index, { align: "auto" });
      return;
    }
    wanted.current = null;
    field.focus();
    const at = to.at === "start" ? 0 : to.at === "end" ? field.value.length : Math.min(to.at, field.value.length);
    field.setSelectionRange(at, at);
  });
  // A line that was made here has got its id: the address follows.
  const activeLine = active === null ? undefined : lines.find((line) => line.key === active);
  const activeId = activeLine && activeLine.id > 0 ? activeLine.id : null;
  useEffect(() => {
    if (activeId !== null) select(activeId);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [activeId]);
  const shown = useRef<number | null>(null);
  useEffect(() => {
    if (place.line === null || place.line === shown.current) return;
    shown.current = place.line;
    const index = indexOf(place.line);
    if (index >= 0) rows.scrollToIndex(index, { align: "auto" });
  }, [place.line, indexOf, rows]);

  const picked = chosen.size ? lines.filter((line) => chosen.has(line.id)) : [];
  const ids = picked.length ? picked.map((line) => line.id) : current === null ? [] : [current];
  /** On from what is chosen, to one line. */
  function step(by: 1 | -1) {
    const at = lines.findIndex((line) => line.id === (by === 1 ? ids.at(-1) : ids[0]));
    const next = lines[at + by];
    letGo();
    if (next) select(next.id);
  }
  function remove() {
    // A line that nobody has chosen is not seen to be the one: it stays.
    if (readOnly || !ids.length || (!picked.length && place.line === null)) return;
    const at = lines.findIndex((line) => line.id === ids[0]);
    const next = lines.slice(at).find((line) => !ids.includes(line.id)) ?? lines[at - 1];
    letGo();
    void actions.remove(ids);
    if (next) select(next.id);
  }
  useKeys({
    Enter: () => current !== null && go(current, 0, "end"),
    Delete: remove,
    Escape: () => letGo(),
    "Shift+ArrowDown": () => extend(1),
    "Shift+ArrowUp": () => extend(-1),
    "Mod+a": () => all(),
    "Mod+f": () => setPanel("find"),
    s: () => {
      if (!readOnly && current !== null && !chosen.size) choose(current, "one");
      setTimeout(() => give.current?.querySelector("input")?.focus(), 0);
    },
    g: () => !readOnly && setGiving(true),
    o: () => !readOnly && ids.length && void actions.mark(ids, { kind: lines.find((line) => line.id === ids[0])?.kind === "on_screen" ? "spoken" : "on_screen" }),
    i: () => !readOnly && ids.length && void actions.mark(ids, { in_sight: NEXT_SIGHT(lines.find((line) => line.id === ids[0])?.in_sight ?? null) }),
  });
  useEffect(() => {
    const typing = () => document.activeElement?.closest("input, textarea, select") !== null || document.querySelector("[role=dialog]") !== null;
    function copy(event: ClipboardEvent) {
      if (typing() || window.getSelection()?.toString() || !ids.length) return;
      const copied = lines.filter((line) => ids.includes(line.id));
      event.clipboardData?.setData("text/plain", asText(copied, bySpeaker));
      event.clipboardData?.setData("text/html", asTable(copied, bySpeaker));
      event.preventDefault();
    }
    function paste(event: ClipboardEvent) {
      if (typing() || readOnly) return;
      const text = event.clipboardData?.getData("text/plain") ?? "";
      if (!text.trim()) return;
      event.preventDefault();
      void actions.add(ids.at(-1) ?? null, text);
    }
    function press(event: KeyboardEvent) {
      if (!event.altKey || typing() || readOnly || current === null) return;
      if (event.key === "ArrowUp" || event.key === "ArrowDown") {
        event.preventDefault();
        moveChosen(current, event.key === "ArrowUp" ? -1 : 1);
      }
    }
    document.addEventListener("copy", copy);
    document.addEventListener("paste", paste);
    document.addEventListener("keydown", press);
    return () => {
      document.removeEventListener("copy", copy);
      document.removeEventListener("paste", paste);
      document.removeEventListener("keydown", press);
    };
  });

  const visible = rows.getVirtualItems();
  const top = visible.find((item) => item.end > (rows.scrollOffset ?? 0));
  const topItem = top && items[top.index];
  const topPart = topItem ? ("line" in topItem ? topItem.line.part : null) : null;
  const partName = (id: number | null) => parts.find((part) => part.id === id)?.name ?? "";
  return (
    <>
      <div className="grow min-w-0 flex flex-col bg-paper relative">
        {topPart !== null && (rows.scrollOffset ?? 0) > 8 && (
          <p className="absolute z-10 top-0 inset-x-0 bg-paper border-b border-rule px-5 py-1.5 text-sm font-semibold" aria-hidden>
            {partName(topPart)}
          </p>
        )}
        {lines.length === 0 ? (
          <Empty title={t("script.empty")}>
            <p>{t("script.emptyHint")}</p>
            {!readOnly && <Button look="main" onClick={() => void actions.add(null, "")}>{t("script.firstLine")}</Button>}
          </Empty>
        ) : (
          <div ref={box} className="grow min-h-0 overflow-auto" role="list" aria-label={t("script.copy")}>
            <div className="relative max-w-5xl mx-auto" style={{ height: rows.getTotalSize() + 80 }}>
              {visible.map((row) => {
                const item = items[row.index];
                if (!item) return null;
                return (
                  <div key={row.key} role="listitem" data-index={row.index} ref={rows.measureElement} className="absolute top-0 inset-x-0" style={{ transform: `translateY(${row.start}px)` }}>
                    {"part" in item ? (
                      <PartHeading part={parts.find((part) => part.id === item.part)} readOnly={readOnly} actions={actions} />
                    ) : (
                      <ScriptRow
                        line={item.line}
                        number={item.number}
                        speaker={bySpeaker.get(item.line.speaker)}
                        speakers={speakers}
                        selected={item.line.key === active || item.line.id === place.line}
                        chosen={chosen.has(item.line.id)}
                        findings={findings.get(item.line.id)}
                        take={takes.get(item.line.id)}
                        frame={frame}
                      />
                    )}
                  </div>
                );
              })}
            </div>
          </div>
        )}
        {giving && (
          <GivingBar
            speakers={speakers}
            onGive={(name) => {
              if (ids.length) void actions.give(ids, name);
              step(1);
            }}
            onMove={step}
            onDone={() => setGiving(false)}
          />
        )}
        {picked.length > 0 && !readOnly && !giving && (
          <ChosenBar lines={picked} speakers={speakers} actions={actions} field={give} onRemove={remove} onMove={(by) => moveChosen(picked[0]?.id ?? 0, by)} onDone={() => letGo()} />
        )}
      </div>
      <aside className="w-72 xl:w-80 shrink-0 border-s border-rule flex flex-col min-h-0" aria-label={t("script.panel")}>
        <Tabs.Root value={panel} onValueChange={(value) => setPanel(value as Panel)} className="flex flex-col min-h-0 grow">
          <Tabs.List className="flex border-b border-rule px-2 shrink-0" aria-label={t("script.panel")}>
            {PANELS.map((one) => (
              <Tabs.Trigger
                key={one}
                value={one}
                className="px-2 h-9 text-sm border-b-2 border-transparent text-soft hover:text-ink data-[state=active]:border-tide data-[state=active]:text-ink data-[state=active]:font-semibold"
              >
                {t(`script.panels.${one}`)}
                {one === "checks" && (checks.data?.length ?? 0) > 0 && <span className="ms-1 text-2xs font-semibold px-1 rounded-sm bg-lamp-wash text-ink">{checks.data?.length}</span>}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <Tabs.Content value="speakers" className="min-h-0 grow overflow-auto p-3"><SpeakersPanel production={production} script={script} actions={actions} onGiving={() => setGiving(true)} /></Tabs.Content>
          <Tabs.Content value="parts" className="min-h-0 grow overflow-auto p-3"><PartsPanel script={script} fps={production.fps} current={current} readOnly={readOnly} actions={actions} onGo={(line) => go(line, 0)} /></Tabs.Content>
          <Tabs.Content value="checks" className="min-h-0 grow overflow-auto p-3"><ChecksPanel findings={checks.data} lines={lines} onGo={(line) => go(line, 0)} /></Tabs.Content>
          <Tabs.Content value="find" className="min-h-0 grow overflow-auto p-3"><FindPanel production={production} lines={lines} actions={actions} onGo={(line) => go(line, 0)} /></Tabs.Content>
          <Tabs.Content value="history" className="min-h-0 grow overflow-auto p-3"><HistoryPanel production={production} stamp={script.stamp} actions={actions} /></Tabs.Content>
        </Tabs.Root>
      </aside>
    </>
  );
}

/** Findings that the line itself shows: they stand in the panel alone. */
const SEEN_ANYWAY = new Set(["no_speaker", "single_line", "empty"]);
const NEXT_SIGHT = (sight: boolean | null): boolean | null => (sight === null ? true : sight ? false : null);
