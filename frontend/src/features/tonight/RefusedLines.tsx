import { say } from "../../lib/words";

interface Props {
  list: { entry: { key: string }; refused?: string | undefined }[];
  drop: (key: string) => void;
}

/** Entries the server refused when they were sent, with why; each may be deleted. */
export function RefusedLines({ list, drop }: Props) {
  return list
    .filter((one) => one.refused)
    .map((one) => (
      <p key={one.entry.key} role="alert">
        {say`Not saved: ${one.refused}`}{" "}
        <button
          type="button"
          className="underline"
          onClick={() => drop(one.entry.key)}
        >{say`delete it`}</button>
      </p>
    ));
}
