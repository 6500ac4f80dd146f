import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, tableText, unwrap } from "../../api/client";
import { errorsOf } from "../../app/records";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { Sheet } from "../../ui/Sheet";

export type GroundKind = Schemas["GroundTableIn"]["kind"];
type Looked = Schemas["GroundTableOut"];

const TITLES: Record<GroundKind, string> = {
  soils: say`Soils from a table`,
  blocks: say`Blocks from GeoJSON`,
};
const FILES: Record<GroundKind, { label: string; accept: string }> = {
  soils: {
    label: say`Table of analyses: CSV or spreadsheet, a horizon a row`,
    accept: ".csv,.xlsx,text/csv",
  },
  blocks: { label: say`GeoJSON of polygons, a block each`, accept: ".geojson,.json,application/geo+json" },
};

/** Soil analyses or block outlines of somebody else's file: columns mapped once and remembered, looked at, then stored. */
export function GroundDialog({ kind, close }: { kind: GroundKind; close: (said: string) => void }) {
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [looked, setLooked] = useState<Looked>();
  const [refused, setRefused] = useState<string[]>([]);
  const ask = useMutation({
    mutationFn: async (body: Schemas["GroundTableIn"]) => unwrap(await api.POST("/api/ground", { body })),
  });
  const look = async (next: string, mapping?: Record<string, string>) => {
    setText(next);
    try {
      setLooked(await ask.mutateAsync({ kind, text: next, mapping: mapping ?? null, store: false }));
      setRefused([]);
    } catch (error) {
      if (mapping && looked) setLooked({ ...looked, mapping });
      setRefused(errorsOf(error).map((e) => `${e.path}: ${e.reason}`));
    }
  };
  const store = async () => {
    if (!looked) return;
    try {
      const told = await ask.mutateAsync({ kind, text, mapping: looked.mapping, store: true });
      await client.invalidateQueries();
      close(say`${told.created} ${kind} new, ${told.changed} changed.`);
    } catch (error) {
      setRefused(errorsOf(error).map((e) => `${e.path}: ${e.reason}`));
    }
  };
  const map = (field: string, column: string) => {
    const mapping = { ...looked?.mapping, [field]: column };
    void look(text, Object.fromEntries(Object.entries(mapping).filter(([, c]) => c !== "")));
  };
  const columns = [{ value: "", label: "–" }, ...(looked?.columns ?? []).map(columnChoice)];
  return (
    <Sheet title={TITLES[kind]} open close={() => close("")}>
      <div className="mt-3 grid gap-3">
        <Field
          label={FILES[kind].label}
          type="file"
          accept={FILES[kind].accept}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void tableText(file).then((told) => look(told));
          }}
        />
        {looked && (
          <div className="grid gap-2 sm:grid-cols-2">
            {looked.fields.map((f) => (
              <Choice
                key={f.name}
                label={f.needed ? say`${f.words}, needed` : f.words}
                value={looked.mapping[f.name] ?? ""}
                options={columns}
                change={(column) => map(f.name, column)}
              />
            ))}
          </div>
        )}
        {looked?.remembered && (
          <p className="secondary">{say`Mapped as the last file with this head was.`}</p>
        )}
        {looked && looked.keys.length > 0 && refused.length === 0 && (
          <p>
            <b>{looked.keys.length}:</b> {looked.keys.join(", ")}
          </p>
        )}
        {refused.length > 0 && (
          <ul role="alert" className="font-bold text-clay">
            <li>{say`Nothing was saved:`}</li>
            {refused.slice(0, 12).map((one) => (
              <li key={one}>{one}</li>
            ))}
            {refused.length > 12 && <li>{say`and ${refused.length - 12} more`}</li>}
          </ul>
        )}
        <div className="flex gap-3">
          <Button
            kind="ink"
            disabled={!looked || looked.keys.length === 0 || refused.length > 0 || ask.isPending}
            onClick={() => void store()}
          >{say`Bring them in`}</Button>
          <Button onClick={() => close("")}>{say`Cancel`}</Button>
        </div>
      </div>
    </Sheet>
  );
}

const columnChoice = (column: Looked["columns"][number]) => ({
  value: column.name,
  label: column.samples.length ? `${column.name} (${column.samples[0]})` : column.name,
});
