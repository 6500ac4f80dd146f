import type { BlockAdvice } from "../api/client";
import { say } from "../lib/words";

interface NoticesProps {
  block: BlockAdvice;
  withReason?: boolean;
}

/** What bears on the advice beside its reason, and why not sooner and why not less. */
export function Notices({ block, withReason = false }: NoticesProps) {
  const reason = withReason && block.group !== "leave" && block.group !== "none" ? block.reason : "";
  const said = [
    reason,
    ...block.notices.map((n) => n.words).filter((words) => words !== block.reason && !reason.includes(words)),
    block.not_sooner,
    block.not_less,
  ].filter((words): words is string => Boolean(words));
  if (said.length === 0) return null;
  return (
    <ul aria-label={say`What matters`} className="mb-3 max-w-[110ch] border-l-2 border-rule pl-3">
      {said.map((words) => (
        <li key={words} className="secondary">
          {words}
        </li>
      ))}
    </ul>
  );
}
