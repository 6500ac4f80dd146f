import type { ButtonHTMLAttributes } from "react";

const KINDS = {
  act: "bg-clay font-bold text-panel",
  ink: "bg-ink font-bold text-panel",
  plain: "border border-ink",
  quiet: "underline px-0!",
};

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  kind?: keyof typeof KINDS;
}

/** A button in one of the four ways the pages use. */
export function Button({ kind = "plain", className = "", ...rest }: ButtonProps) {
  return (
    <button
      type="button"
      {...rest}
      className={`no-print rounded-sheet px-4 py-1.5 max-sm:min-h-11 disabled:opacity-50 ${KINDS[kind]} ${className}`}
    />
  );
}
