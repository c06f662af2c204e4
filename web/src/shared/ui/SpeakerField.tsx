import { Popover } from "radix-ui";
import { useId, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Speaker } from "../api/client";
import { SpeakerMark } from "./SpeakerMark";
import { speakersLike } from "../script/scriptState";

const MOST = 8;

/** Chooses a speaker by typing: a letter or two, Enter. A name that nobody has is offered as a new speaker. */
export function SpeakerField({
  speakers,
  value,
  label,
  placeholder,
  onChoose,
  onLeave,
  className = "",
  autoFocus = false,
  disabled = false,
}: {
  speakers: readonly Speaker[];
  value?: string;
  label: string;
  placeholder?: string;
  onChoose: (name: string) => void;
  /** After Enter or Escape, so that the hand is back where it came from. */
  onLeave?: () => void;
  className?: string;
  autoFocus?: boolean;
  disabled?: boolean;
}) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState<string | null>(null);
  const [at, setAt] = useState(0);
  const list = useId();
  const field = useRef<HTMLInputElement>(null);
  const open = typed !== null;
  const found = speakersLike(speakers, typed ?? "").slice(0, MOST);
  const name = (typed ?? "").trim();
  const fresh = name !== "" && !speakers.some((one) => one.name.toLocaleLowerCase() === name.toLocaleLowerCase());
  const options = [...found.map((one) => one.name), ...(fresh ? [name] : [])];
  function choose(chosen: string | undefined) {
    setTyped(null);
    setAt(0);
    if (chosen && chosen !== value) onChoose(chosen);
    onLeave?.();
  }
  const shown = open && options.length > 0;
  return (
    <Popover.Root open={shown} modal={false}>
      <Popover.Anchor asChild>
      <input
        ref={field}
        role="combobox"
        aria-label={label}
        aria-expanded={shown}
        aria-controls={list}
        aria-activedescendant={open && options.length ? `${list}-${at}` : undefined}
        aria-autocomplete="list"
        autoComplete="off"
        autoFocus={autoFocus}
        disabled={disabled}
        placeholder={placeholder}
        title={typed === null ? value : undefined}
        className={`block w-full min-w-0 grow truncate bg-transparent font-semibold text-sm rounded-sm px-1 py-0.5 hover:bg-sunk focus:bg-paper disabled:opacity-100 ${className}`}
        value={typed ?? value ?? ""}
        maxLength={120}
        onFocus={(event) => event.target.select()}
        onClick={() => setTyped((old) => old ?? "")}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(0);
        }}
        onBlur={() => setTyped(null)}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown" || event.key === "ArrowUp") {
            event.preventDefault();
            event.stopPropagation();
            if (!open) setTyped("");
            else setAt((old) => (old + (event.key === "ArrowDown" ? 1 : options.length - 1)) % Math.max(1, options.length));
          } else if (event.key === "Enter") {
            event.preventDefault();
            if (open) choose(options[at]);
            else onLeave?.();
          } else if (event.key === "Escape") {
            event.stopPropagation();
            setTyped(null);
            onLeave?.();
          }
        }}
      />
      </Popover.Anchor>
      <Popover.Portal>
        {/* Over everything that comes after it, and within the window: the hand stays in the field. */}
        <Popover.Content
          asChild
          align="start"
          sideOffset={2}
          collisionPadding={8}
          onOpenAutoFocus={(event) => event.preventDefault()}
          onCloseAutoFocus={(event) => event.preventDefault()}
          onInteractOutside={(event) => event.preventDefault()}
        >
        <ul id={list} role="listbox" aria-label={label} className="z-50 w-60 max-h-[min(18rem,var(--radix-popover-content-available-height))] overflow-auto rounded-md border border-rule bg-paper shadow-xl p-1">
          {options.map((one, index) => {
            const known = index < found.length ? found[index] : undefined;
            return (
              <li
                key={one}
                id={`${list}-${index}`}
                role="option"
                aria-selected={index === at}
                className={`flex items-center gap-2 px-1.5 py-1 rounded-sm text-sm cursor-default ${index === at ? "bg-tide-wash" : ""}`}
                onMouseDown={(event) => {
                  event.preventDefault();
                  choose(one);
                  field.current?.blur();
                }}
                onMouseMove={() => setAt(index)}
              >
                {known && <SpeakerMark name={known.name} position={known.position} size={20} />}
                <span className="truncate">{known ? one : t("script.newSpeaker", { name: one })}</span>
              </li>
            );
          })}
        </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
