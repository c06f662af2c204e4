import type { ButtonHTMLAttributes } from "react";

type Look = "main" | "plain" | "quiet" | "quay" | "danger";

const LOOKS: Record<Look, string> = {
  main: "bg-lamp text-lamp-ink font-semibold hover:brightness-105",
  plain: "bg-paper border border-rule hover:border-tide",
  quiet: "hover:bg-sunk text-ink",
  quay: "text-quay-ink hover:bg-white/10",
  danger: "border border-alarm text-alarm hover:bg-alarm-wash",
};

export function Button({
  look = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return (
    <button
      type="button"
      className={`inline-flex items-center justify-center gap-1.5 rounded-md px-3 h-8 text-sm whitespace-nowrap disabled:opacity-55 ${LOOKS[look]} ${className}`}
      {...rest}
    />
  );
}

export const FIELD = "rounded-md border border-rule bg-paper px-2.5 py-1.5 text-sm placeholder:text-soft w-full";
