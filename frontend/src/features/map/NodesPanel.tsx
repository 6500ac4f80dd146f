import { useState } from "react";
import { Link } from "react-router";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { clock, dated, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { Button } from "../../ui/Button";
import { useAddNodes, useNodes } from "./queries";

interface NodesPanelProps {
  blockKey: string;
  asOf: string | undefined;
}

/** The nodes of a block, those heard longest ago first, and the door for more of them. */
export function NodesPanel({ blockKey, asOf }: NodesPanelProps) {
  const units = useUnits();
  const may = useMay();
  const found = useNodes(blockKey, asOf);
  const [open, setOpen] = useState(false);
  if (!found.data) return null;
  return (
    <section aria-label="Nodes" className="mt-4 max-w-[760px]">
      <h2 className="text-[17px] font-bold">Nodes</h2>
      <details>
        <summary className="cursor-pointer">{found.data.nodes.length} here, the longest silent first</summary>
        <ul>
          {found.data.nodes.map((n) => (
            <li key={n.station} className="flex flex-wrap gap-x-4 border-t border-rule py-1">
              <Link className="min-w-[7rem] font-bold hover:underline" to={`/stations/${n.station}`}>
                {n.name}
              </Link>
              <span>{n.depths_cm.map((d) => show(d, "soilDepth", units)).join(", ")}</span>
              <span>
                {n.out
                  ? "taken out"
                  : n.last_heard
                    ? `heard ${dated(n.last_heard)}, ${clock(wall(n.last_heard))}`
                    : "never heard"}
              </span>
              {n.missed_h !== null && n.missed_h > 0 && <b>{n.missed_h} h of the last week missing</b>}
              {n.battery_v !== null && (
                <span className={n.battery_low ? "font-bold text-clay" : ""}>{n.battery_v.toFixed(1)} V</span>
              )}
              {n.signal_dbm !== null && <span>{n.signal_dbm} dBm</span>}
            </li>
          ))}
        </ul>
      </details>
      {asOf === undefined && may("stations") && (
        <p className="no-print mt-1">
          <Button onClick={() => setOpen(true)}>Add nodes from a table</Button>
        </p>
      )}
      {open && <AddDialog blockKey={blockKey} close={() => setOpen(false)} />}
    </section>
  );
}

function AddDialog({ blockKey, close }: { blockKey: string; close: () => void }) {
  const add = useAddNodes(blockKey);
  const store = (form: FormData) => add.mutateAsync({ text: textIn(form, "text") });
  return (
    <FormDialog title="Nodes from a table" open close={close} store={store} label="Add them">
      {() => (
        <label>
          <span className="block text-[13px] font-bold">CSV or GeoJSON of points</span>
          <textarea
            name="text"
            rows={8}
            className="figure w-full rounded-sheet border border-rule bg-panel px-2 py-1.5"
            placeholder={"node,longitude,latitude,depths_cm,device\nLow corner,-15.203,38.399,10;30,nd-7"}
          />
          <span className="secondary">
            One line a node. Those that are here by name are changed; nothing is stored while a line is wrong.
          </span>
        </label>
      )}
    </FormDialog>
  );
}
