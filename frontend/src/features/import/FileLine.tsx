import { fileSize } from "../../lib/numbers";
import { say } from "../../lib/words";
import type { ImportFile } from "./queries";

/** Name and size of the file with a way back to choosing. */
export function FileLine({ file, again }: { file: ImportFile; again: () => void }) {
  return (
    <p className="mt-1">
      <b>{file.name}</b> <span className="secondary">{fileSize(file.size)}</span>{" "}
      <button type="button" className="ml-2 underline" onClick={again}>{say`another file`}</button>
    </p>
  );
}
