import { Link } from "react-router";
import { useAsOf, useKeepAsOf } from "../../app/farm";
import { say, sayCode } from "../../lib/words";
import { type FarmClosing, useFarmClosing } from "./queries";

/** Every block's season on its way to its end; those with something to do now first. */
export function FarmClosingPage() {
  const [asOf] = useAsOf();
  const found = useFarmClosing(asOf);
  if (found.isPending) return <p className="secondary py-6">{say`Looking at the ends of all seasons …`}</p>;
  if (found.isError) return <p className="py-6">{found.error.message}</p>;
  return <Blocks closing={found.data} />;
}

const due = (block: FarmClosing["blocks"][number]) => block.steps.filter((s) => s.state === "now");

/** What a block without anything to do now waits for: its harvest, as a rule. */
const ahead = (block: FarmClosing["blocks"][number]) =>
  (block.steps.every((s) => s.state === "done" || s.state === "not needed")
    ? say`The season is closed`
    : block.steps.find((s) => s.code === "harvest")?.words) ?? "";

function Blocks({ closing }: { closing: FarmClosing }) {
  const keep = useKeepAsOf();
  const now = closing.blocks.filter((b) => due(b).length > 0);
  const rest = closing.blocks.filter((b) => due(b).length === 0);
  return (
    <div className="py-1">
      <h1>
        {now.length === 0
          ? say`No season is to be closed yet`
          : say`${now.length} ${now.length === 1 ? say`block has` : say`blocks have`} something to close`}
      </h1>
      <ul className="mt-2 max-w-4xl">
        {[...now, ...rest].map((block) => (
          <li
            key={block.key}
            className="grid gap-x-4 border-t border-rule py-2 min-[640px]:grid-cols-[12rem_minmax(0,1fr)]"
          >
            <span>
              <Link className="font-bold hover:underline" to={keep(`/block/${block.key}/closing`)}>
                {block.name}
              </Link>
              <span className="secondary block">{sayCode(block.crop)}</span>
            </span>
            <span>
              {due(block).map((s) => (
                <span key={s.code} className="block font-bold text-clay">
                  {s.words}
                </span>
              ))}
              {due(block).length === 0 && <span className="text-ink-2">{ahead(block)}</span>}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
