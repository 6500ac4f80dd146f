import { useState } from "react";
import { Link } from "react-router";
import { useFarm } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { type Sheet, useApply } from "./queries";
import { stationChange } from "./stationParts";

/** How often somebody walks to the station to read it. */
export function ReadByHand({ sheet }: { sheet: Sheet }) {
  const farm = useFarm();
  const apply = useApply();
  const every = sheet.part.read_every_days;
  const [days, setDays] = useState(typeof every === "number" ? String(every) : "");
  const store = () =>
    apply.mutate({
      blocks: [
        stationChange(farm, sheet, {
          read_every_days: days.trim() === "" ? null : Number(days.replace(",", ".")),
        }),
      ],
    });
  return (
    <details className="mt-5" open={typeof every === "number"}>
      <summary className="cursor-pointer font-bold">{say`Read by hand`}</summary>
      <form
        className="mt-1 flex flex-wrap items-end gap-3"
        noValidate
        onSubmit={(e) => {
          e.preventDefault();
          store();
        }}
      >
        <Field
          label={say`Days between rounds, empty for none`}
          inputMode="decimal"
          className="w-64"
          value={days}
          error={apply.isError ? errorsOf(apply.error)[0]?.reason : undefined}
          onChange={(e) => setDays(e.target.value)}
        />
        <Button type="submit" disabled={apply.isPending}>{say`Save`}</Button>
        {typeof every === "number" && (
          <Link className="underline" to="/handheld">{say`go to the round by hand`}</Link>
        )}
      </form>
    </details>
  );
}
