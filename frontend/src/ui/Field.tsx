import { type InputHTMLAttributes, useId } from "react";
import { sayCode } from "../lib/words";

interface FieldProps extends InputHTMLAttributes<HTMLInputElement> {
  label: string;
  hint?: string;
  error?: string | undefined;
}

/** A labelled entry with its hint and its error under it. */
export function Field({ label, hint, error, className = "", ...input }: FieldProps) {
  const id = useId();
  const about = error || hint ? `${id}-about` : undefined;
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-[13px] font-bold">
        {label}
      </label>
      <input
        id={id}
        {...input}
        aria-invalid={error ? true : undefined}
        aria-describedby={about}
        className={`w-full rounded-sheet border bg-panel px-2 py-1.5 ${error ? "border-2 border-clay" : "border-rule"}`}
      />
      {about && (
        <p id={about} className={error ? "text-[13px] font-bold text-clay" : "secondary"}>
          {error ?? hint}
        </p>
      )}
    </div>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  options: { value: string; label: string }[];
  change: (value: string) => void;
  error?: string | undefined;
  className?: string;
}

/** A labelled choice from a short list. */
export function Choice({ label, value, options, change, error, className = "" }: ChoiceProps) {
  const id = useId();
  return (
    <div className={className}>
      <label htmlFor={id} className="block text-[13px] font-bold">
        {label}
      </label>
      <select
        id={id}
        value={value}
        onChange={(e) => change(e.target.value)}
        aria-invalid={error ? true : undefined}
        aria-describedby={error ? `${id}-about` : undefined}
        className={`w-full rounded-sheet border bg-panel px-2 py-1.5 ${error ? "border-2 border-clay" : "border-rule"}`}
      >
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {sayCode(o.label)}
          </option>
        ))}
      </select>
      {error && (
        <p id={`${id}-about`} className="text-[13px] font-bold text-clay">
          {error}
        </p>
      )}
    </div>
  );
}
