import { useMay } from "../../app/session";
import { say } from "../../lib/words";
import { useTakeBack } from "./queries";

interface TakeBackProps {
  blockKey: string;
  kind: "plantings" | "harvests";
  record: string;
}

/** Takes back what was entered wrongly; past advice stays as it was. */
export function TakeBack({ blockKey, kind, record }: TakeBackProps) {
  const may = useMay();
  const back = useTakeBack(blockKey);
  if (record === "" || !may(kind)) return null;
  return (
    <>
      <button
        type="button"
        className="no-print underline"
        disabled={back.isPending}
        onClick={() => back.mutate({ kind, key: record })}
      >{say`take back`}</button>
      {back.isError && <span className="font-bold text-clay"> {back.error.message}</span>}
    </>
  );
}
