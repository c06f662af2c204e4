import { useQueries } from "@tanstack/react-query";
import { Pause, Play, SkipBack, SkipForward } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import { useEffect, useMemo } from "react";
import { useTranslation } from "react-i18next";
import { useShallow } from "zustand/react/shallow";

import type { EditionLines, Line, Production } from "../shared/api/client";
import { editionQuery } from "../shared/api/queries";
import { clock } from "../shared/format";
import { useKeys } from "../shared/useKeys";
import { IconButton, Select, Tip } from "../shared/ui/controls";
import { SpeakerMark } from "../shared/ui/SpeakerMark";
import { lineAt } from "../shared/lines";
import { HeardMenu } from "./HeardMenu";
import { Clock, SeekBar, Spoken } from "./playing";
import { lineInAddress, usePlace } from "../shared/place";
import { pictureAt, timeIn } from "../shared/picture";
import { usePlayer, type Listening, type Under } from "../shared/player";
import { mediaFile, useSourceMedia } from "../shared/useSourceMedia";

const SPEEDS = [0.75, 1, 1.25, 1.5, 2];

export function Transport({
  production,
  source,
  dub,
}: {
  production: Production;
  source: EditionLines | undefined;
  dub: EditionLines | undefined;
}) {
  const { t } = useTranslation();
  const place = usePlace();
  // All but the time, which moves with every frame: what goes by it is drawn apart.
  const player = usePlayer(useShallow(({ loaded, playing, preparing, duration, listening, besides, alone, speed, fault, setSpeed, setListening, setAlone, seek, pause, play, playFile }) =>
    ({ loaded, playing, preparing, duration, listening, besides, alone, speed, fault, setSpeed, setListening, setAlone, seek, pause, play, playFile })));
  const isSource = place.language === production.source_language;
  const media = useSourceMedia(production.id);
  const recording = media?.state === "ready" && media.has_sound ? mediaFile(production.id, media, "sound.flac") : null;
  const listening: Listening = isSource ? "source" : player.listening;
  const heard = listening === "source" ? source : dub;
  const fromRecording = listening === "source" ? recording : null;
  // In the recording the lines lie where their slots are.
  const lines = useMemo(
    () => (fromRecording ? (heard?.lines ?? []).map((line) => (line.slot ? { ...line, start: line.slot[0] ?? 0, seconds: (line.slot[1] ?? 0) - (line.slot[0] ?? 0), marks: [], quality: null } : line)) : (heard?.lines ?? [])),
    [fromRecording, heard],
  );
  const selected = lines.find((line) => line.id === place.line) ?? null;
  const loadedHere =
    player.loaded?.production === production.id && player.loaded.language === heard?.edition.language;
  const soundingId = usePlayer((state) => (loadedHere && (state.playing || state.time > 0) ? (lineAt(lines, state.time)?.id ?? null) : null));
  const sounding = soundingId === null ? null : (lines.find((line) => line.id === soundingId) ?? null);
  const shown = player.playing ? (sounding ?? null) : (selected ?? sounding ?? lines[0] ?? null);
  const speaker = production.speakers.find((one) => one.id === shown?.speaker);
  const canPlay = Boolean(fromRecording ?? heard?.mix_recipe);
  const name = fromRecording ?? heard?.mix_recipe;
  // “Source” is the source alone.
  const besides = listening === "source" ? [] : player.besides.filter((language) => language !== heard?.edition.language && production.editions.some((one) => one.language === language && one.counts.current > 0));
  const others = useQueries({ queries: besides.map((language) => editionQuery(production.id, language)) });
  const beneath: Under[] = [];
  if (listening === "both" && source && (recording ?? source.mix_recipe)) beneath.push({ language: source.edition.language, address: recording, holds: [], level: 0.45 });
  for (const [index, language] of besides.entries())
    if (!beneath.some((one) => one.language === language)) beneath.push({ language, address: null, holds: others[index]?.data?.holds ?? [], level: 0.8 });
  const inside = [heard?.edition.language ?? "", ...beneath.map((one) => one.language)];
  const alone = player.alone !== null && inside.includes(player.alone) ? player.alone : null;

  function playFrom(line: Line | null) {
    if (!heard) return;
    const from = line ? line.start : null;
    if (fromRecording) void player.playFile(production.id, heard.edition.language, fromRecording, from);
    else void player.play(production.id, heard.edition.language, heard.mix_recipe, from, beneath);
  }
  const together = beneath.map((one) => `${one.language} ${one.holds.length}`).join();
  useEffect(() => {
    if (player.alone !== alone) player.setAlone(alone);
  }, [player, alone]);
  useEffect(() => {
    // Chosen while it plays: it goes on with what is chosen.
    if (player.playing && heard && loadedHere && !fromRecording) void player.play(production.id, heard.edition.language, heard.mix_recipe, null, beneath);
    // When what is heard together changes, not whenever something is drawn.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [together]);
  function toggle() {
    if (player.playing || player.preparing !== null) player.pause();
    else {
      // From the selected line, or on from where it was paused inside that line.
      const chosen = lines.find((line) => line.id === lineInAddress());
      const inside = loadedHere && sounding && (!chosen || sounding.id === chosen.id);
      const stale = player.loaded?.recipe !== name;
      playFrom(inside && !stale ? null : (chosen ?? lines[0] ?? null));
    }
  }
  function step(by: 1 | -1) {
    const from = player.playing ? sounding : lines.find((line) => line.id === lineInAddress());
    const at = from ? lines.findIndex((line) => line.id === from.id) : by === 1 ? -1 : lines.length;
    const next = lines[Math.min(lines.length - 1, Math.max(0, at + by))];
    if (!next) return;
    place.select(next.id);
    if (player.playing) player.seek(next.start);
  }
  /** Another of source, dub and both, on from where it is: by the source's picture, which they have in common. */
  function hear(next: Listening) {
    if (next === listening) return;
    const was = player.playing || player.preparing !== null;
    const here = loadedHere ? usePlayer.getState().time : null;
    player.setListening(next);
    if (!was) return;
    const to = next === "source" ? source : dub;
    if (!to) return;
    const own = heard?.edition.is_source ? [] : (heard?.holds ?? []);
    const at = here === null ? null : timeIn(to.edition.is_source ? [] : to.holds, pictureAt(own, here)).time;
    const file = next === "source" ? recording : null;
    if (file) void player.playFile(production.id, to.edition.language, file, at);
    else if (to.mix_recipe) void player.play(production.id, to.edition.language, to.mix_recipe, at, next === "both" && source && (recording ?? source.mix_recipe) ? [{ language: source.edition.language, address: recording, holds: [], level: 0.45 }] : []);
    else player.pause();
  }
  useKeys({ h: () => !isSource && hear(listening === "source" ? "dub" : "source"), " ": toggle, ",": () => step(-1), ".": () => step(1) });

  const total = loadedHere && player.duration ? player.duration : (heard?.programme ?? 0);
  return (
    <footer className="on-quay relative bg-quay text-quay-ink h-16 shrink-0 flex items-center gap-3 px-4" aria-label={t("transport.name")}>
      <SeekBar total={total} loaded={loadedHere} />
      <IconButton name={t("transport.previous")} className="hover:bg-white/10 shrink-0" onClick={() => step(-1)} disabled={!lines.length}>
        <SkipBack size={17} aria-hidden />
      </IconButton>
      <button
        type="button"
        aria-label={player.playing || player.preparing !== null ? t("transport.pause") : t("transport.play")}
        className="grid place-items-center size-10 shrink-0 rounded-lg bg-lamp text-lamp-ink disabled:opacity-45"
        disabled={!canPlay}
        onClick={toggle}
      >
        {player.playing || player.preparing !== null ? <Pause size={19} aria-hidden /> : <Play size={19} aria-hidden />}
      </button>
      <IconButton name={t("transport.next")} className="hover:bg-white/10 shrink-0" onClick={() => step(1)} disabled={!lines.length}>
        <SkipForward size={17} aria-hidden />
      </IconButton>
      {!isSource && (
        <ToggleGroup.Root
          type="single"
          value={listening}
          aria-label={t("transport.listening")}
          className="flex shrink-0 rounded-md border border-quay-soft/40 text-xs"
          onValueChange={(value) => {
            if (!value) return;
            hear(value as Listening);
          }}
        >
          {(["source", "dub", "both"] as const).map((value) => (
            <ToggleGroup.Item
              key={value}
              value={value}
              className="px-2.5 h-7 data-[state=on]:bg-quay-ink data-[state=on]:text-quay data-[state=on]:font-semibold first:rounded-s-md last:rounded-e-md"
            >
              {t(`transport.${value}`)}
            </ToggleGroup.Item>
          ))}
        </ToggleGroup.Root>
      )}
      {listening !== "source" && <HeardMenu production={production} open={heard?.edition.language ?? ""} inside={inside} alone={alone} />}
      <div className="min-w-0 grow flex items-center gap-2.5" aria-live="off">
        {player.preparing !== null ? (
          <span role="status" className="text-sm">{t("transport.mixing", { percent: Math.round(player.preparing * 100) })}</span>
        ) : player.fault ? (
          <span role="alert" className="text-sm text-lamp">
            {player.fault === "unreachable" ? t("common.unreachable") : player.fault}
          </span>
        ) : !canPlay && heard ? (
          <span className="text-sm text-quay-soft">{t("transport.nothing")}</span>
        ) : (
          shown && (
            <>
              {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={26} />}
              {shown.quality === "sketch" && (
                <Tip text={t("transport.sketchWhat")}>
                  <span className="shrink-0 rounded-sm border border-quay-soft/60 px-1 text-2xs text-quay-soft">{t("transport.sketch")}</span>
                </Tip>
              )}
              <p className="truncate text-base" dir={heard?.edition.direction} lang={heard?.edition.language} data-testid="spoken">
                <Spoken line={shown} sounding={sounding?.id === shown.id} />
              </p>
            </>
          )
        )}
      </div>
      <span className="text-sm text-quay-soft whitespace-nowrap shrink-0">
        <Clock loaded={loadedHere} /> / {clock(total)}
      </span>
      <Select
        aria-label={t("transport.speed")}
        className="bg-quay! border-quay-soft/40! text-quay-ink h-7! text-xs! shrink-0"
        value={player.speed}
        onChange={(event) => player.setSpeed(Number(event.target.value))}
      >
        {SPEEDS.map((speed) => (
          <option key={speed} value={speed}>{`${speed}×`}</option>
        ))}
      </Select>
    </footer>
  );
}
