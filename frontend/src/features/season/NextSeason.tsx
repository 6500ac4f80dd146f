import { useState } from "react";
import { errorsOf } from "../../app/records";
import { dayMonth, wall } from "../../lib/dates";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { CropField } from "../setup/CropField";
import { begun } from "./AccountLines";
import { type Closing, useNextSeason } from "./queries";

const LESSONS = { trigger: say`bring the trigger there`, efficiency: say`take this efficiency` } as const;
type Picked = keyof typeof LESSONS;

/** The next planting as it is proposed, to be changed and begun; lessons only where they are picked. */
export function NextSeason({ closing }: { closing: Closing }) {
  const { proposal, entered } = closing;
  const [crop, setCrop] = useState(proposal?.crop ?? "");
  const [variety, setVariety] = useState(proposal?.variety ?? "");
  const [first, setFirst] = useState(proposal?.first_day ?? "");
  const [picked, setPicked] = useState<Picked[]>([]);
  const next = useNextSeason(closing.key);
  if (entered) {
    return (
      <p>
        <b>
          {sayCode(entered.crop)}
          {entered.variety && `, ${entered.variety}`}
        </b>
        , {begun(entered.begins)} {dayMonth(wall(`${entered.first_day}T00:00`))}{" "}
        {entered.first_day.slice(0, 4)}
      </p>
    );
  }
  const offered = closing.lessons.filter((one) => one.value !== null && one.what in LESSONS);
  const refused = next.isError ? errorsOf(next.error) : [];
  const about = (name: string) => refused.find((r) => r.path.endsWith(name))?.reason;
  return (
    <form
      className="mt-2 grid max-w-xl gap-3"
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        next.mutate({ crop: crop.trim(), variety: variety.trim(), first_day: first, lessons: picked });
      }}
    >
      {proposal && <p className="secondary">{say`Proposed: ${proposal.why}.`}</p>}
      <CropField value={crop} change={setCrop} error={about("crop")} />
      <div className="grid gap-3 sm:grid-cols-2">
        <Field label={say`Variety`} value={variety} onChange={(e) => setVariety(e.target.value)} />
        <Field
          label={say`First day`}
          type="date"
          value={first}
          error={about("first_day") ?? about("valid_from")}
          onChange={(e) => setFirst(e.target.value)}
        />
      </div>
      {offered.map((one) => (
        <label key={one.words} className="flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-1 accent-deep"
            checked={picked.includes(one.what as Picked)}
            onChange={(e) =>
              setPicked((before) =>
                e.target.checked ? [...before, one.what as Picked] : before.filter((p) => p !== one.what),
              )
            }
          />
          <span>
            <b>{LESSONS[one.what as Picked]}</b>: {one.words}
          </span>
        </label>
      ))}
      {refused.length > 0 && (
        <p
          role="alert"
          className="font-bold text-clay"
        >{say`Nothing was saved: ${refused.map((r) => r.reason).join("; ")}`}</p>
      )}
      <p>
        <Button
          kind="ink"
          type="submit"
          disabled={next.isPending || crop.trim() === "" || first === ""}
        >{say`Enter it`}</Button>
      </p>
    </form>
  );
}
