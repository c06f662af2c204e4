import { Checkbox as RadixCheckbox, Dialog as RadixDialog, Tooltip as RadixTooltip } from "radix-ui";
import { Check, X } from "lucide-react";
import type { ButtonHTMLAttributes, ReactNode, SelectHTMLAttributes } from "react";
import { useTranslation } from "react-i18next";

import { Button, FIELD } from "./button";

export { Button, FIELD };

/** A control that shows only a picture: its name is said and shown on hover. */
export function IconButton({
  name,
  children,
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { name: string }) {
  return (
    <Tip text={name}>
      <button
        type="button"
        aria-label={name}
        className={`inline-grid place-items-center size-8 rounded-md hover:bg-sunk disabled:opacity-45 ${className}`}
        {...rest}
      >
        {children}
      </button>
    </Tip>
  );
}

export function Tip({ text, children }: { text: string; children: ReactNode }) {
  return (
    <RadixTooltip.Root>
      <RadixTooltip.Trigger asChild>{children}</RadixTooltip.Trigger>
      <RadixTooltip.Portal>
        <RadixTooltip.Content
          sideOffset={5}
          collisionPadding={8}
          className="z-50 rounded-md bg-quay text-quay-ink text-xs px-2 py-1 max-w-72 shadow-lg"
        >
          {text}
        </RadixTooltip.Content>
      </RadixTooltip.Portal>
    </RadixTooltip.Root>
  );
}

/** A sheet over the work, for one thing at a time. */
export function Sheet({
  title,
  wide = false,
  open,
  onClose,
  children,
}: {
  title: string;
  wide?: boolean;
  open: boolean;
  onClose: () => void;
  children: ReactNode;
}) {
  const { t } = useTranslation();
  return (
    <RadixDialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <RadixDialog.Portal>
        <RadixDialog.Overlay className="fixed inset-0 z-30 bg-black/45" />
        <RadixDialog.Content
          aria-describedby={undefined}
          className={`fixed z-40 inset-y-6 start-1/2 -translate-x-1/2 rtl:translate-x-1/2 flex flex-col rounded-lg bg-ground border border-rule shadow-2xl ${wide ? "w-[min(1180px,96vw)]" : "w-[min(560px,94vw)] h-fit max-h-[calc(100vh-3rem)]"}`}
        >
          <header className="flex items-center gap-3 px-5 h-12 border-b border-rule shrink-0">
            <RadixDialog.Title className="text-lg font-semibold grow truncate">{title}</RadixDialog.Title>
            <RadixDialog.Close asChild>
              {/* No tooltip here: it would open with the sheet's first focus, and take the first Escape for itself. */}
              <button type="button" aria-label={t("common.close")} className="inline-grid place-items-center size-8 rounded-md hover:bg-sunk">
                <X size={18} aria-hidden />
              </button>
            </RadixDialog.Close>
          </header>
          <div className="min-h-0 grow overflow-auto">{children}</div>
        </RadixDialog.Content>
      </RadixDialog.Portal>
    </RadixDialog.Root>
  );
}

export function Select({ className = "", ...rest }: SelectHTMLAttributes<HTMLSelectElement>) {
  return (
    <select
      className={`h-8 rounded-md border border-rule bg-paper px-2 text-sm min-w-0 ${className}`}
      {...rest}
    />
  );
}

/** Yes or no, with its words beside it; without `label` visible, it is named all the same. */
export function Tick({
  label,
  checked,
  onChange,
  hidden = false,
  disabled = false,
  className = "",
}: {
  label: string;
  checked: boolean;
  onChange: (checked: boolean) => void;
  hidden?: boolean;
  disabled?: boolean;
  className?: string;
}) {
  const box = (
    <RadixCheckbox.Root
      aria-label={label}
      checked={checked}
      disabled={disabled}
      onCheckedChange={(next) => onChange(next === true)}
      className="size-5 shrink-0 grid place-items-center rounded-[4px] border border-soft bg-paper text-paper data-[state=checked]:bg-tide data-[state=checked]:border-tide disabled:opacity-55"
    >
      <RadixCheckbox.Indicator><Check size={14} strokeWidth={3} aria-hidden /></RadixCheckbox.Indicator>
    </RadixCheckbox.Root>
  );
  if (hidden) return box;
  return (
    <span className={`flex items-center gap-2 text-sm min-h-6 ${className}`}>
      {box}
      {/* The words press it too; to a screen reader the box has said them already. */}
      <span aria-hidden className="cursor-default select-none" onClick={() => !disabled && onChange(!checked)}>{label}</span>
    </span>
  );
}


/** A sentence about something that went wrong or wants attention. */
export function Notice({ tone = "warn", children }: { tone?: "warn" | "bad" | "calm"; children: ReactNode }) {
  const look = {
    warn: "bg-lamp-wash border-lamp",
    bad: "bg-alarm-wash border-alarm",
    calm: "bg-tide-wash border-tide",
  }[tone];
  return (
    <div role={tone === "bad" ? "alert" : "status"} className={`border-s-4 rounded-sm px-3 py-2 text-sm ${look}`}>
      {children}
    </div>
  );
}

/** What an empty view says: what goes here, and the first step. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="grid grow place-content-center justify-items-center gap-3 h-full p-10 text-center">
      <p className="text-lg font-semibold">{title}</p>
      <div className="text-soft max-w-md flex flex-col items-center gap-3">{children}</div>
    </div>
  );
}
