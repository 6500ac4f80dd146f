import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, tableText, unwrap } from "../../api/client";
import { numberIn } from "../../app/acting/LogSetDialog";
import { FormDialog, textIn } from "../../app/FormDialog";
import { say } from "../../lib/words";
import { Choice, Field } from "../../ui/Field";

type Report = Schemas["WeatherReport"];
type Looked = Schemas["WeatherColumnsOut"];
const LOOKED_AT = 200_000; // characters: the head and some rows

/** Whether a table has other names than ours, so that somebody has to say what they are. */
const isForeign = ({ mapping, columns }: Looked) => columns.some((c) => mapping[c.name] !== c.name);

const columnChoice = ({ name, samples }: Looked["columns"][number]) => ({
  value: name,
  label: samples[0] ? `${name} (${samples[0]})` : name,
});

function mapped(before: Record<string, string>, field: string, column: string): Record<string, string> {
  const rest = Object.entries(before).filter(([name, other]) => name !== field && other !== column);
  return Object.fromEntries(column === "" ? rest : [...rest, [field, column]]);
}

/** Weather of the farm from a table: measured days or hours, or a forecast with its members. */
export function WeatherDialog({ asOf, close }: { asOf: string; close: (said: string) => void }) {
  const client = useQueryClient();
  const [kind, setKind] = useState<"measured" | "forecast">("measured");
  const [file, setFile] = useState<File>();
  const [looked, setLooked] = useState<Schemas["WeatherColumnsOut"]>();
  const look = async (next: File | undefined) => {
    setFile(next);
    setLooked(undefined);
    if (!next || kind === "forecast") return;
    const table = (await tableText(next)).slice(0, LOOKED_AT);
    const found = await api.POST("/api/weather/columns", { body: { table } });
    setLooked(found.data); // what cannot be looked at is told when it is brought in
  };
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
          body: {
            table,
            elevation_m: elevation ?? Number.NaN,
            wind_height_m: 2,
            mapping: looked && isForeign(looked) ? looked.mapping : null,
          },
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
            onChange={(e) => void look(e.target.files?.[0])}
            hint={
              kind === "measured"
                ? "day, tmax_c, tmin_c, … or at, t_c, rh_pct, wind_m_s, radiation_w_m2, rain_mm"
                : "day, member, eto_mm, rain_mm"
            }
            error={refused.file}
            required
          />
          {looked && isForeign(looked) && (
            <fieldset className="grid gap-2 sm:grid-cols-2">
              <legend className="mb-1 font-bold">
                {looked.remembered
                  ? say`Columns, as in the last file with this head`
                  : say`Which column is which`}
              </legend>
              {looked.fields.map((f) => (
                <Choice
                  key={f.name}
                  label={f.needed ? say`${f.words}, needed` : f.words}
                  value={looked.mapping[f.name] ?? ""}
                  options={[{ value: "", label: "–" }, ...looked.columns.map(columnChoice)]}
                  change={(column) =>
                    setLooked({ ...looked, mapping: mapped(looked.mapping, f.name, column) })
                  }
                />
              ))}
            </fieldset>
          )}
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
