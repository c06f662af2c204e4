import { useLayoutEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../frame/notices";
import { Fault, type Line } from "../shared/api/client";
import { setWording, useChange } from "../shared/api/queries";

/**
 * A line's words, typed directly. Saved on leaving and on Enter; Escape takes the typing back. What was typed stays
 * in the field when it could not be saved, whatever the reason.
 */
export function WordingField({
  production,
  language,
  direction,
  line,
  label,
  readOnly,
  onSelect,
}: {
  production: number;
  language: string;
  direction: "ltr" | "rtl";
  line: Line;
  label: string;
  readOnly: boolean;
  onSelect: () => void;
}) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const field = useRef<HTMLTextAreaElement>(null);
  const [typed, setTyped] = useState<string | null>(null);
  const [base, setBase] = useState(line.revision);
  const [unsaved, setUnsaved] = useState(false);
  const save = useChange(production, (text: string) => setWording(production, language, line.id, text, base));
  const text = typed ?? line.words;

  useLayoutEffect(() => {
    const box = field.current;
    if (!box) return;
    box.style.height = "0";
    box.style.height = `${box.scrollHeight}px`;
  }, [text]);

  function keep() {
    if (typed === null || save.isPending) return;
    if (typed.trim() === line.words) {
      setTyped(null);
      setUnsaved(false);
      return;
    }
    save.mutate(typed, {
      onSuccess: () => {
        setTyped(null);
        setUnsaved(false);
      },
      onError: (error) => {
        setUnsaved(true);
        if (error instanceof Fault && error.code === "conflict") {
          // The next try is typed over what stands there now, knowingly.
          const now = error.current as { revision?: number } | undefined;
          if (now?.revision) setBase(now.revision);
        }
        say({ tone: "bad", text: `${label}: ${error.message || t("common.unreachableKept")}` });
      },
    });
  }
  return (
    <textarea
      ref={field}
      rows={1}
      aria-label={label}
      aria-invalid={unsaved}
      lang={language}
      dir={direction}
      readOnly={readOnly}
      spellCheck={false}
      className={`block w-full resize-none overflow-hidden rounded-sm bg-transparent px-1.5 py-0.5 -mx-1.5 leading-snug hover:bg-sunk/60 focus:bg-paper ${unsaved ? "outline-2 outline-alarm" : ""}`}
      value={text}
      onFocus={() => {
        if (typed === null) setBase(line.revision);
        onSelect();
      }}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter" && !event.shiftKey && !event.nativeEvent.isComposing) {
          event.preventDefault();
          keep();
          const fields = [...document.querySelectorAll<HTMLTextAreaElement>("textarea[data-wording]")];
          fields[fields.indexOf(event.currentTarget) + 1]?.focus();
        } else if (event.key === "Escape") {
          setTyped(null);
          setUnsaved(false);
        }
      }}
      data-wording
    />
  );
}
