import { group } from "d3-array";
import type { BlockAdvice } from "../../api/client";
import { say } from "../../lib/words";

const NAMED = 3;

/** What would narrow the dates that are wide open, said once for the blocks it is alike for. */
export function Narrowing({ blocks }: { blocks: BlockAdvice[] }) {
  const alike = group(
    blocks.filter((b) => b.narrows),
    (b) => b.narrows,
  );
  if (alike.size === 0) return null;
  return (
    <section aria-label={say`To narrow the dates`} className="mt-4">
      <h2 className="secondary font-bold">{say`To narrow the dates`}</h2>
      <ul>
        {[...alike.entries()].map(([words, members]) => (
          <li key={words} className="border-t border-rule px-2 py-1">
            <b>{namesOf(members)}:</b> <span className="secondary">{words}.</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function namesOf(members: BlockAdvice[]): string {
  const named = members.slice(0, NAMED).map((b) => b.name);
  const more = members.length - named.length;
  return more > 0 ? say`${named.join(", ")} and ${more} more` : named.join(", ");
}
