import { useEffect } from "react";
import { useNavigate } from "react-router";
import type { BlockAdvice } from "../../api/client";
import { useKeepAsOf } from "../../app/farm";
import { isTyping } from "../../app/shortcuts";

/** j and k move through the blocks, Enter opens the chosen one. */
export function useRowKeys(
  blocks: BlockAdvice[],
  selected: BlockAdvice | undefined,
  choose: (key: string) => void,
): void {
  const navigate = useNavigate();
  const keep = useKeepAsOf();
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event)) return;
      const step = { j: 1, k: -1 }[event.key];
      const at = blocks.findIndex((b) => b.key === selected?.key);
      const next = step === undefined ? undefined : blocks[at + step];
      if (next) {
        choose(next.key);
        document.getElementById(`row-${next.key}`)?.scrollIntoView({ block: "nearest" });
      }
      const onButton = (event.target as HTMLElement | null)?.closest("button, a");
      if (event.key === "Enter" && selected && !onButton) navigate(keep(`/block/${selected.key}`));
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [blocks, selected, choose, navigate, keep]);
}
