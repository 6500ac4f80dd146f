import { useRef, useState } from "react";
import { Link } from "react-router";
import { tableText } from "../../api/client";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useUnits } from "../../app/farm";
import { useMay } from "../../app/session";
import { clock, dated, wall } from "../../lib/dates";
import { show } from "../../lib/units";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { type Nodes, useAddNodes, useNodes, useRefurbish } from "./queries";

type Node = Nodes["nodes"][number];

interface NodesPanelProps {
  blockKey: string;
  asOf: string | undefined;
}

/** The nodes of a block, those heard longest ago first; their season's end; and the door for more of them. */
export function NodesPanel({ blockKey, asOf }: NodesPanelProps) {
  const may = useMay();
  const found = useNodes(blockKey, asOf);
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState<string[]>([]);
  if (!found.data) return null;
  const { nodes } = found.data;
  const ending = asOf === undefined && may("procedure_runs");
  const toggle = (station: string) =>
    setChosen((now) => (now.includes(station) ? now.filter((s) => s !== station) : [...now, station]));
  return (
    <section aria-label={say`Nodes`} className="mt-4 max-w-[760px]">
      <h2 className="text-[17px] font-bold">{say`Nodes`}</h2>
      <details>
        <summary className="cursor-pointer">{say`${nodes.length} here, the longest silent first`}</summary>
        <ul>
          {nodes.map((n) => (
            <NodeRow
              key={n.station}
              node={n}
              chosen={ending ? chosen.includes(n.station) : undefined}
              choose={() => toggle(n.station)}
            />
          ))}
        </ul>
        {ending && (
          <SeasonEnd
            blockKey={blockKey}
            chosen={chosen}
            all={() => setChosen(chosen.length === nodes.length ? [] : nodes.map((n) => n.station))}
          />
        )}
      </details>
      {asOf === undefined && may("stations") && (
        <p className="no-print mt-1">
          <Button onClick={() => setOpen(true)}>{say`Add nodes from a table`}</Button>
        </p>
      )}
      {open && <AddDialog blockKey={blockKey} close={() => setOpen(false)} />}
    </section>
  );
}

function NodeRow({ node, chosen, choose }: { node: Node; chosen?: boolean | undefined; choose: () => void }) {
  const units = useUnits();
  const every = node.every_min ?? 0;
  return (
    <li className="flex flex-wrap gap-x-4 border-t border-rule py-1">
      {chosen !== undefined && (
        <input
          type="checkbox"
          className="no-print"
          aria-label={say`Choose ${node.name}`}
          checked={chosen}
          onChange={choose}
        />
      )}
      <Link className="min-w-[7rem] font-bold hover:underline" to={`/stations/${node.station}`}>
        {node.name}
      </Link>
      <span>{node.depths_cm.map((d) => show(d, "soilDepth", units)).join(", ")}</span>
      <span>{heardText(node)}</span>
      {every > 0 && <span className="secondary">{say`every ${everyText(every)}`}</span>}
      {!!node.missed && <b>{say`${node.missed} of ${node.expected} readings of the last week missing`}</b>}
      {node.battery_v !== null && (
        <span
          className={node.battery_low ? "font-bold text-clay" : ""}
        >{say`${node.battery_v.toFixed(1)} V`}</span>
      )}
      {node.signal_dbm !== null && <span>{say`${node.signal_dbm} dBm`}</span>}
      {node.end_done.length > 0 && <span>{node.end_done.join(", ")}</span>}
      {node.end_run && node.end_due && (
        <Link className="underline" to={`/run/${node.end_run}`}>{say`next: ${node.end_due}`}</Link>
      )}
    </li>
  );
}

function heardText(node: Node): string {
  if (node.out) return say`taken out`;
  if (!node.last_heard) return say`never heard`;
  return say`heard ${dated(node.last_heard)}, ${clock(wall(node.last_heard))}`;
}

const everyText = (minutes: number) =>
  minutes % 60 === 0 ? (minutes === 60 ? "hour" : `${minutes / 60} h`) : say`${minutes} min`;

const STEPS = [
  ["pull", say`Out of the ground`],
  ["clean", say`Cleaned`],
  ["batteries", say`Batteries out or charged`],
] as const;

interface SeasonEndProps {
  blockKey: string;
  chosen: string[];
  all: () => void;
}

/** One tick for many nodes: what was done on all of the chosen ones. */
function SeasonEnd({ blockKey, chosen, all }: SeasonEndProps) {
  const refurbish = useRefurbish(blockKey);
  const nodes = chosen.map((s) => s.split("/").pop() ?? s);
  return (
    <div className="no-print mt-2 border-t border-rule pt-2">
      <p>{say`Season's end: choose nodes and say what was done on all of them. A test in water is entered node by node, and a node is back once it is installed again.`}</p>
      <p className="mt-1 flex flex-wrap gap-3">
        <Button onClick={all}>{say`All of them`}</Button>
        {STEPS.map(([step, label]) => (
          <Button
            key={step}
            disabled={nodes.length === 0 || refurbish.isPending}
            onClick={() => refurbish.mutate({ nodes, step })}
          >
            {label}
          </Button>
        ))}
      </p>
      {refurbish.isError && (
        <p role="alert" className="font-bold text-clay">
          {refurbish.error.message}
        </p>
      )}
      {refurbish.data && <p role="status">{say`Entered on ${refurbish.data.ticked}.`}</p>}
    </div>
  );
}

function AddDialog({ blockKey, close }: { blockKey: string; close: () => void }) {
  const add = useAddNodes(blockKey);
  const typed = useRef<HTMLTextAreaElement>(null);
  const store = (form: FormData) => add.mutateAsync({ text: textIn(form, "text") });
  const read = async (file: File | undefined) => {
    if (file && typed.current) typed.current.value = await tableText(file);
  };
  return (
    <FormDialog title={say`Nodes from a table`} open close={close} store={store} label={say`Add them`}>
      {() => (
        <>
          <Field
            label={say`A file: CSV, spreadsheet or GeoJSON`}
            type="file"
            accept=".csv,.xlsx,.geojson,.json,text/csv"
            onChange={(e) => void read(e.target.files?.[0])}
          />
          <label>
            <span className="block text-[13px] font-bold">{say`CSV or GeoJSON of points`}</span>
            <textarea
              ref={typed}
              name="text"
              rows={8}
              className="figure w-full rounded-sheet border border-rule bg-panel px-2 py-1.5"
              placeholder={say`node,longitude,latitude,depths_cm,device
Low corner,-15.203,38.399,10;30,nd-7`}
            />
            <span className="secondary">{say`One line a node. Those that are here by name are changed; nothing is stored while a line is wrong.`}</span>
          </label>
        </>
      )}
    </FormDialog>
  );
}
