import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, tableText, unwrap } from "../../api/client";
import { numberIn } from "../../app/acting/LogSetDialog";
import { FormDialog, textIn } from "../../app/FormDialog";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";

type Report = Schemas["WeatherReport"];

/** Weather of the farm from a table: measured days or hours, or a forecast with its members. */
export function WeatherDialog({ asOf, close }: { asOf: string; close: (said: string) => void }) {
  const client = useQueryClient();
  const [kind, setKind] = useState<"measured" | "forecast">("measured");
  const [file, setFile] = useState<File>();
  const send = useMutation({
    mutationFn: async (form: FormData): Promise<Report> => {
      const table = file ? await tableText(file) : "";
      const elevation = textIn(form, "elevation_m") === "" ? null : numberIn(form, "elevation_m");
      if (kind === "forecast") {
        const body = {
          table,
          issued: textIn(form, "issued"),
          elevation_m: elevation,
          note: textIn(form, "note"),
        };
        return unwrap(await api.POST("/api/weather/forecast", { body }));
      }
      return unwrap(
        await api.POST("/api/weather", {
          body: { table, elevation_m: elevation ?? Number.NaN, wind_height_m: 2 },
        }),
      );
    },
    onSuccess: () => client.invalidateQueries(),
  });
  const store = async (form: FormData) => {
    const report = await send.mutateAsync(form);
    const how = Object.entries(report.methods).map(([name, days]) => say`${days} by ${name}`);
    close(say`${report.days} days imported: ${how.join(", ")}. ${report.words.join("; ")}`);
  };
  return (
    <FormDialog title={say`Import weather`} open close={() => close("")} store={store} label={say`Import`}>
      {(refused) => (
        <>
          <Choice
            label={say`What it is`}
            value={kind}
            options={[
              { value: "measured", label: say`measured, by days or by hours` },
              { value: "forecast", label: say`a forecast, by days and members` },
            ]}
            change={(v) => setKind(v as "measured" | "forecast")}
          />
          <Field
            label={say`CSV file or spreadsheet`}
            name="table"
            type="file"
            accept=".csv,.xlsx,text/csv"
            onChange={(e) => setFile(e.target.files?.[0])}
            hint={
              kind === "measured"
                ? "day, tmax_c, tmin_c, … or at, t_c, rh_pct, wind_m_s, radiation_w_m2, rain_mm"
                : "day, member, eto_mm, rain_mm"
            }
            error={refused.file}
            required
          />
          <Field
            label={say`Metres above the sea`}
            name="elevation_m"
            inputMode="decimal"
            {...(kind === "forecast" ? { hint: say`only where it gives temperatures` } : {})}
            error={refused.elevation_m}
          />
          {kind === "forecast" && (
            <>
              <Field
                label={say`Issued, farm time`}
                name="issued"
                type="datetime-local"
                defaultValue={asOf.slice(0, 16)}
                error={refused.issued}
              />
              <Field label={say`From`} name="note" error={refused.note} />
            </>
          )}
        </>
      )}
    </FormDialog>
  );
}
