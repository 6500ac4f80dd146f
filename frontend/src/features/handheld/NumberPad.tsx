import { say } from "../../lib/words";

const KEYS = ["1", "2", "3", "4", "5", "6", "7", "8", "9", ".", "0", "⌫"];

/** Large keys for gloves. */
export function NumberPad({ press }: { press: (key: string) => void }) {
  return (
    <fieldset className="mt-3 grid max-w-sm grid-cols-3 gap-2" aria-label={say`Number pad`}>
      {KEYS.map((key) => (
        <button
          key={key}
          type="button"
          className="sheet min-h-14 text-[24px] font-bold active:bg-ink active:text-panel"
          aria-label={key === "⌫" ? say`Delete the last figure` : key}
          onClick={() => press(key)}
        >
          {key}
        </button>
      ))}
    </fieldset>
  );
}

export function pressed(text: string, key: string): string {
  if (key === "⌫") return text.slice(0, -1);
  if (key === "." && text.includes(".")) return text;
  return text.length < 8 ? text + key : text;
}
