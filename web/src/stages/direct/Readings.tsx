import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Line, type Schemas } from "../../shared/api/client";
import { Button, FIELD, Select } from "../../shared/ui/controls";
import { HearButton } from "./HearButton";
import { readingOf, READINGS, type Mark, type ReadingKind } from "./stave";
import { hear } from "./useHearing";

/** What the chosen words are read as: other words, sounds, or a kind of thing; here only, or everywhere. */
export function Readings({ production, language, direction, line, marks, from, count, words, readOnly, refused, onSet, onEverywhere }: {
  production: number; language: string; direction: "ltr" | "rtl"; line: Line; marks: readonly Mark[]; from: number; count: number; words: string; readOnly: boolean;
  refused: { kind: ReadingKind; said: string } | undefined; onSet: (kind: ReadingKind | null, said: string) => void; onEverywhere: (kind: ReadingKind, said: string) => void;
}) {
  const { t } = useTranslation();
  const set = readingOf(marks, from);
  const [kind, setKind] = useState<ReadingKind | "">(refused?.kind ?? set?.kind ?? "");
  const [said, setSaid] = useState(refused?.said ?? set?.said ?? "");
  const [picking, setPicking] = useState(false);
  const written = kind === "alias" || kind === "ipa";
  const unknown = useQuery({
    queryKey: ["ipa", production, language, said],
    enabled: kind === "ipa" && said.trim() !== "",
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/sounds/check/", { params: { path: { production_id: production, language }, query: { ipa: said } } })),
    staleTime: Infinity,
  });
  const ready = kind !== "" && (!written || said.trim() !== "");
  const other = kind !== (set?.kind ?? "") || said !== (set?.said ?? "");
  const phrase = words.replace(/^[^\p{L}\p{N}]+|[^\p{L}\p{N}]+$/gu, "");
  return (
    <form
      className="flex flex-col gap-2 border-t border-rule pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready && other) onSet(kind, said.trim());
      }}
    >
      <div className="flex items-center gap-2 text-sm">
        <label className="flex items-center gap-2 grow min-w-0">
          <span className="w-18 shrink-0">{t("direct.readAs")}</span>
          <Select
            className="grow"
            disabled={readOnly}
            value={kind}
            onChange={(event) => {
              const next = event.target.value as ReadingKind | "";
              setKind(next);
              if (next === "") onSet(null, "");
              else if (next !== "alias" && next !== "ipa") onSet(next, "");
            }}
          >
            <option value="">{t("direct.asWritten")}</option>
            {READINGS.map((one) => <option key={one} value={one}>{t(`direct.reading.${one}`)}</option>)}
          </Select>
        </label>
        {ready && (
          <HearButton
            name={t("direct.hearWord")}
            id={`reading/${line.id}/${from}`}
            wanted={{ production, language, line: line.id, body: { words, marks: [{ kind, word: 0, amount: 1, count, ...(written ? { said: said.trim() } : {}) } as Mark] } }}
          />
        )}
      </div>
      {written && (
        <div className="flex items-center gap-2">
          <input
            aria-label={t(`direct.reading.${kind}`)}
            placeholder={kind === "ipa" ? t("direct.ipaHint") : t("direct.aliasHint")}
            className={`${FIELD} grow`}
            dir={kind === "ipa" ? "ltr" : direction}
            lang={kind === "ipa" ? "und-fonipa" : language}
            maxLength={200}
            readOnly={readOnly}
            value={said}
            onChange={(event) => setSaid(event.target.value)}
          />
          {kind === "ipa" && !readOnly && <Button aria-expanded={picking} onClick={() => setPicking(!picking)}>{t("direct.sounds")}</Button>}
        </div>
      )}
      {kind === "ipa" && (unknown.data?.unknown.length ?? 0) > 0 && <p className="text-sm text-alarm" role="status">{t("direct.ipaUnknown", { sounds: unknown.data?.unknown.join(" ") })}</p>}
      {picking && kind === "ipa" && <SoundPicker production={production} language={language} line={line} onPick={(sound) => setSaid(said + sound)} />}
      {!readOnly && kind !== "" && (
        <div className="flex flex-wrap gap-2">
          {written && <Button type="submit" look="main" disabled={!ready || !other}>{t("direct.hereOnly")}</Button>}
          <Button disabled={!ready || !phrase} onClick={() => onEverywhere(kind, written ? said.trim() : "")}>{t("direct.everywhere", { phrase })}</Button>
        </div>
      )}
    </form>
  );
}

/** The sounds of the language, each heard as it is put in. */
function SoundPicker({ production, language, line, onPick }: { production: number; language: string; line: Line; onPick: (sound: string) => void }) {
  const { t } = useTranslation();
  const sounds = useQuery({
    queryKey: ["production", production, "sounds", language],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/sounds/", { params: { path: { production_id: production, language } } })),
    staleTime: 600_000,
  });
  const pick = (sound: Schemas["Sound"]) => {
    onPick(sound.ipa);
    // A consonant is heard before and after a vowel.
    const said = sound.vowel ? sound.ipa : `a${sound.ipa}a`;
    void hear(`sound/${sound.ipa}`, { production, language, line: line.id, body: { words: sound.word || "a", marks: [{ kind: "ipa", word: 0, amount: 1, count: 1, said }] } });
  };
  const marks = [["ˈ", t("direct.ipaMark.stress")], ["ˌ", t("direct.ipaMark.second")], ["ː", t("direct.ipaMark.long")]] as const;
  return (
    <div className="rounded-md border border-rule bg-sunk p-2 flex flex-wrap gap-1 max-h-44 overflow-auto" role="group" aria-label={t("direct.sounds")} dir="ltr">
      {marks.map(([mark, name]) => <button key={mark} type="button" className="min-w-8 h-8 rounded-sm border border-rule bg-paper hover:border-tide" aria-label={name} title={name} onClick={() => onPick(mark)}>{mark}</button>)}
      {sounds.isPending && <span className="text-sm text-soft px-1">{t("common.loading")}</span>}
      {sounds.data?.map((sound) => (
        <button key={sound.ipa} type="button" className={`min-w-8 h-8 px-1.5 rounded-sm border bg-paper hover:border-tide ${sound.vowel ? "border-tide" : "border-rule"}`} title={t("direct.soundAs", { word: sound.word })} onClick={() => pick(sound)}>
          {sound.ipa}
        </button>
      ))}
    </div>
  );
}
