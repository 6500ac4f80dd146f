import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useFarm } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { type Sheet, useApply } from "./queries";

/** How often somebody walks to the station to read it. */
export function ReadByHand({ sheet }: { sheet: Sheet }) {
  const farm = useFarm();
  const apply = useApply();
  const every = sheet.part.read_every_days;
  const [days, setDays] = useState(typeof every === "number" ? String(every) : "");
  const home = farm.blocks.find((b) => b.key === sheet.line.block);
  const store = () =>
    apply.mutate({
      blocks: [
        {
          ...home,
          name: undefined,
          stations: [
            {
              key: sheet.line.ref.split("/")[1],
              read_every_days: days.trim() === "" ? null : Number(days.replace(",", ".")),
              sensors: sheet.sensors.map((s) => ({ key: s.key, depth_cm: s.depth_cm })),
            },
          ],
        } as unknown as Schemas["BlockPart"],
      ],
    });
  return (
    <details className="mt-5" open={typeof every === "number"}>
      <summary className="cursor-pointer font-bold">Read by hand</summary>
      <form
        className="mt-1 flex flex-wrap items-end gap-3"
        noValidate
        onSubmit={(e) => {
          e.preventDefault();
          store();
        }}
      >
        <Field
          label="Days between rounds, empty for none"
          inputMode="decimal"
          className="w-64"
          value={days}
          error={apply.isError ? errorsOf(apply.error)[0]?.reason : undefined}
          onChange={(e) => setDays(e.target.value)}
        />
        <Button type="submit" disabled={apply.isPending}>
          Store
        </Button>
        {typeof every === "number" && (
          <Link className="underline" to="/handheld">
            go to the round by hand
          </Link>
        )}
      </form>
    </details>
  );
}
