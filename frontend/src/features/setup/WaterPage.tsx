import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import { api, type Schemas, unwrap } from "../../api/client";
import { useFarm, useUnits } from "../../app/farm";
import { errorsOf, newKey, useApply, useWho } from "../../app/records";
import { useMay } from "../../app/session";
import { quantity, show } from "../../lib/units";
import { say, sayCode, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { type Row, RowsEditor } from "../../ui/RowsEditor";
import { Sheet } from "../../ui/Sheet";
import { usePlanActs, useWater } from "../plan/queries";
import {
  draftOfRules,
  entriesOf,
  HOURS,
  listed,
  refusedBy,
  rowsOf,
  rulesOf,
  shiftColumns,
  tariffColumns,
  turnColumns,
} from "./waterParts";

type Water = Schemas["WaterContent"];
type Supply = Schemas["WaterSupplyOut"];
type BlockWater = Schemas["BlockWaterOut"];
const KINDS = ["well", "canal turn", "reservoir", "mains", "other"];

/** The water side of the farm: supplies, prices, turns, parts of blocks, people, groups, controllers. */
export function WaterPage() {
  const water = useWater();
  if (water.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (water.isError) return <p className="py-6">{water.error.message}</p>;
  return <TheWater water={water.data} />;
}

function TheWater({ water }: { water: Water }) {
  const mine = useMay()("water_rules");
  const [edits, setEdits] = useState("");
  const close = () => setEdits("");
  const supply = water.supplies.find((s) => `supply ${s.key}` === edits);
  const block = water.blocks.find((b) => `block ${b.key}` === edits);
  const valves = water.supplies.find((s) => `valves ${s.key}` === edits);
  return (
    <div className="max-w-4xl py-1">
      <h1>{say`Water side of the farm`}</h1>
      <p className="secondary">{sayWith`What each supply gives, when and at what price. A change holds from today; what held before stays for past answers. The ${<Link className="underline" to="/plan">{say`Plan`}</Link>} goes by it.`}</p>
      <Head title={say`Supplies`} />
      {water.supplies.length === 0 && (
        <p>{say`No supplies yet. Enter one in a block's set-up, under System.`}</p>
      )}
      {water.supplies.map((s) => (
        <SupplyLine key={s.key} supply={s} edit={mine ? setEdits : undefined} />
      ))}
      <Head title={say`Parts of blocks`} />
      {water.blocks.map((b) => (
        <BlockLine key={b.key} block={b} edit={mine ? setEdits : undefined} />
      ))}
      <Head title={say`People who start and stop sets`} />
      {water.people.length === 0 && (
        <p>{say`No hours entered: sets by hand may begin and end at any hour.`}</p>
      )}
      {water.people.map((p) => (
        <p key={p.person} className="border-t border-rule py-1.5">
          <b>{p.person}</b>{" "}
          {p.hours
            .map(
              (h) =>
                say`${h.days?.length ? h.days.map(sayCode).join(", ") : say`every day`} ${h.start} to ${h.end}`,
            )
            .join("; ")}
        </p>
      ))}
      {mine && <Button onClick={() => setEdits("person")}>{say`Add a person's hours`}</Button>}
      <Head title={say`Groups by hand`} />
      <Groups water={water} />
      {mine && <Button onClick={() => setEdits("group")}>{say`Add a group`}</Button>}
      {supply && <SupplyDialog supply={supply} close={close} />}
      {block && <ShiftsDialog block={block} close={close} />}
      {valves && <ControllerDialog supply={valves} close={close} />}
      {edits === "person" && <PersonDialog close={close} />}
      {edits === "group" && <GroupDialog water={water} close={close} />}
    </div>
  );
}

const Head = ({ title }: { title: string }) => <h2 className="mt-6 mb-1 text-[17px] font-bold">{title}</h2>;

interface LineProps {
  edit: ((what: string) => void) | undefined;
}

function SupplyLine({ supply, edit }: LineProps & { supply: Supply }) {
  const units = useUnits();
  const rules = supply.rules;
  const a = say`a ${quantity("perVolume", units).unit}`;
  const by = (value: number) => show(value, "perVolume", units, false);
  const price =
    supply.price_high > 0
      ? `${by(supply.price_low)}${supply.price_high > supply.price_low ? say` to ${by(supply.price_high)}` : ""} ${a}`
      : "";
  const told = [
    rules && rules.kind !== supply.name ? sayCode(rules.kind) : "",
    supply.flow_m3_h === null
      ? say`flow not known`
      : say`up to ${show(supply.flow_m3_h, "supplyFlow", units)}`,
    supply.hours_per_day !== null && say`${supply.hours_per_day} h a day`,
    rules?.hours_per_week && say`${rules.hours_per_week} h a week`,
    rules?.turns?.length && say`${rules.turns.length} turns`,
    supply.kwh_m3 !== null && say`${Number(by(supply.kwh_m3)).toFixed(2)} kWh ${a}`,
    price,
    supply.left_m3 !== null && say`${show(supply.left_m3, "volume", units)} left this season`,
  ].filter(Boolean);
  return (
    <div className="border-t border-rule py-2">
      <p className="flex flex-wrap items-baseline justify-between gap-3">
        <span>
          <b>{supply.name}</b> {told.join(" · ")}
        </span>
        {edit && (
          <span className="flex gap-4">
            <Button kind="quiet" onClick={() => edit(`supply ${supply.key}`)}>{say`Edit`}</Button>
            <Button kind="quiet" onClick={() => edit(`valves ${supply.key}`)}>
              {supply.controller ? say`Valves …` : say`Add a controller`}
            </Button>
          </span>
        )}
      </p>
      <p className="secondary">
        {supply.controller
          ? say`${supply.controller_name}: valves ${supply.valves.join(", ")}; ${supply.armed ? "armed" : say`not armed`}${supply.trouble ? `; ${supply.trouble}` : ""}`
          : say`Valves are opened by hand.`}
      </p>
    </div>
  );
}

function BlockLine({ block, edit }: LineProps & { block: BlockWater }) {
  const units = useUnits();
  const shifts = block.shifts;
  return (
    <p className="flex flex-wrap items-baseline justify-between gap-3 border-t border-rule py-1.5">
      <span>
        <b>{block.name}</b>{" "}
        {shifts
          ? shifts.shifts
              .map(
                (s) => `${s.name} ${show(s.area_ha, "area", units)}${s.valve ? say`, valve ${s.valve}` : ""}`,
              )
              .join(" · ")
          : say`whole, ${show(block.area_ha, "area", units)}`}
        {shifts?.by_hand && <span className="secondary"> {say`by hand`}</span>}
        {shifts?.night_only && <span className="secondary"> {say`at night only`}</span>}
      </span>
      {edit && <Button kind="quiet" onClick={() => edit(`block ${block.key}`)}>{say`Edit`}</Button>}
    </p>
  );
}

interface SaveProps {
  title: string;
  close: () => void;
  save: () => Promise<unknown>;
  children: (refused: Record<string, string>) => React.ReactNode;
  more?: React.ReactNode;
}

/** A form in a dialog that stays open until the server has it, with its refusals by path. */
function SaveDialog({ title, close, save, children, more }: SaveProps) {
  const [refused, setRefused] = useState<Record<string, string>>({});
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    try {
      await save();
      close();
    } catch (error) {
      setRefused(refusedBy(errorsOf(error)));
    } finally {
      setBusy(false);
    }
  };
  const said = Object.values(refused);
  return (
    <Sheet title={title} open close={close}>
      <form className="mt-3 grid gap-3" noValidate onSubmit={(e) => void submit(e)}>
        {children(refused)}
        {said.length > 0 && (
          <p role="alert" className="font-bold text-clay">{say`Nothing was saved: ${said.join("; ")}`}</p>
        )}
        <div className="flex flex-wrap gap-3">
          <Button kind="ink" type="submit" disabled={busy}>{say`Save`}</Button>
          <Button onClick={close}>{say`Cancel`}</Button>
          {more}
        </div>
      </form>
    </Sheet>
  );
}

/** What a record that is picked carries: a key of its own, today, and who picked it. */
function usePicked() {
  const farm = useFarm();
  const [who] = useWho();
  const apply = useApply();
  return {
    head: (kind: string) => ({ key: newKey(kind, farm), valid_from: farm.now.slice(0, 10), who }),
    key: (kind: string) => newKey(kind, farm),
    store: (lists: Record<string, unknown[]>) => apply.mutateAsync(lists as never),
  };
}

function SupplyDialog({ supply, close }: { supply: Supply; close: () => void }) {
  const units = useUnits();
  const { head, store } = usePicked();
  const [draft, setDraft] = useState(() => draftOfRules(supply, units));
  const tariff = tariffColumns(units);
  const turn = turnColumns(units);
  const entries = entriesOf(units);
  const [tariffs, setTariffs] = useState<Row[]>(() => rowsOf(supply.rules?.tariffs, tariff, units));
  const [turns, setTurns] = useState<Row[]>(() => rowsOf(supply.rules?.turns, turn, units));
  const set = (part: Record<string, string>) => setDraft((d) => ({ ...d, ...part }));
  const save = () =>
    store({
      water_rules: [
        {
          ...head("water"),
          supply: supply.key,
          ...rulesOf(draft, units),
          tariffs: listed(tariffs, tariff, units).map((t) => ({ per: "kwh", ...t })),
          turns: listed(turns, turn, units),
        },
      ],
    });
  const entry = (name: string, label: string, refused: Record<string, string>, at = "") => (
    <Field
      key={name}
      label={label}
      inputMode="decimal"
      value={draft[name] ?? ""}
      error={refused[`${at}${name}`]}
      onChange={(e) => set({ [name]: e.target.value })}
    />
  );
  return (
    <SaveDialog title={say`${supply.name}, from today`} close={close} save={save}>
      {(refused) => (
        <>
          <div className="grid gap-3 sm:grid-cols-3">
            <Choice
              label={say`Kind`}
              value={draft.kind ?? "other"}
              options={KINDS.map((k) => ({ value: k, label: k }))}
              change={(kind) => set({ kind })}
            />
            {entries.plain.map((p) => entry(p.name, p.label, refused))}
          </div>
          <fieldset className="grid gap-3 border-t border-rule pt-2 sm:grid-cols-4">
            <legend className="pr-2 font-bold">{say`Energy of the water: measured, or from the lift`}</legend>
            {entries.energy.map((e) => entry(e.name, e.label, refused, "energy."))}
          </fieldset>
          <RowsEditor
            label={say`Prices`}
            name="tariffs"
            columns={tariff}
            rows={tariffs}
            change={setTariffs}
            add={say`Add a price`}
            refused={refused}
          />
          <RowsEditor
            label={say`Turns: with any, water runs only in them`}
            name="turns"
            columns={turn}
            rows={turns}
            change={setTurns}
            add={say`Add a turn`}
            refused={refused}
          />
          <fieldset className="grid gap-3 border-t border-rule pt-2 sm:grid-cols-3">
            <legend className="pr-2 font-bold">{say`Water allowed this season`}</legend>
            {entry("volume_m3", say`Volume, ${quantity("volume", units).unit}`, refused, "season.")}
            {(["first", "last"] as const).map((name) => (
              <Field
                key={name}
                label={name === "first" ? say`First day` : say`Last day`}
                type="date"
                value={draft[name] ?? ""}
                error={refused[`season.${name}`]}
                onChange={(e) => set({ [name]: e.target.value })}
              />
            ))}
          </fieldset>
        </>
      )}
    </SaveDialog>
  );
}

function ShiftsDialog({ block, close }: { block: BlockWater; close: () => void }) {
  const units = useUnits();
  const { head, store } = usePicked();
  const before = block.shifts;
  const columns = shiftColumns(units);
  const [rows, setRows] = useState<Row[]>(() =>
    rowsOf(before?.shifts ?? [{ name: "all", area_ha: block.area_ha }], columns, units),
  );
  const [byHand, setByHand] = useState(before?.by_hand ?? false);
  const [night, setNight] = useState(before?.night_only ?? false);
  const [fill, setFill] = useState(String(before?.fill_min ?? 0));
  const [move, setMove] = useState(String(before?.move_min ?? 0));
  const save = () =>
    store({
      block_shifts: [
        {
          ...head("parts"),
          block: block.key,
          shifts: listed(rows, columns, units),
          by_hand: byHand,
          night_only: night,
          fill_min: Number(fill) || 0,
          move_min: Number(move) || 0,
        },
      ],
    });
  return (
    <SaveDialog title={say`How ${block.name} is watered, from today`} close={close} save={save}>
      {(refused) => (
        <>
          <RowsEditor
            label={say`Parts watered one after another`}
            name="shifts"
            columns={columns}
            rows={rows}
            change={setRows}
            add={say`Add a part`}
            refused={refused}
          />
          <label className="flex gap-2">
            <input type="checkbox" checked={byHand} onChange={(e) => setByHand(e.target.checked)} />
            {say`Somebody must be there at the start and the end of each set`}
          </label>
          <label className="flex gap-2">
            <input type="checkbox" checked={night} onChange={(e) => setNight(e.target.checked)} />
            {say`At night only (20:00 to 08:00): less wind and evaporation`}
          </label>
          <div className="grid gap-3 sm:grid-cols-2">
            <Field
              label={say`Minutes until the line is full`}
              value={fill}
              onChange={(e) => setFill(e.target.value)}
            />
            <Field
              label={say`Minutes to move between sets`}
              value={move}
              onChange={(e) => setMove(e.target.value)}
            />
          </div>
        </>
      )}
    </SaveDialog>
  );
}

function PersonDialog({ close }: { close: () => void }) {
  const { head, store } = usePicked();
  const [person, setPerson] = useState("");
  const [rows, setRows] = useState<Row[]>([{ start: "06:00", end: "14:00" }]);
  const save = () => store({ work_hours: [{ ...head("hours"), person, hours: listed(rows, HOURS) }] });
  return (
    <SaveDialog title={say`Hours of a person, from today`} close={close} save={save}>
      {(refused) => (
        <>
          <Field
            label={say`Name`}
            value={person}
            error={refused.person}
            onChange={(e) => setPerson(e.target.value)}
          />
          <RowsEditor
            label={say`On the farm`}
            name="hours"
            columns={HOURS}
            rows={rows}
            change={setRows}
            add={say`Add hours`}
            refused={refused}
          />
        </>
      )}
    </SaveDialog>
  );
}

function ControllerDialog({ supply, close }: { supply: Supply; close: () => void }) {
  const acts = usePlanActs();
  const [url, setUrl] = useState(supply.controller_url);
  const [token, setToken] = useState("");
  const [name, setName] = useState(supply.controller_name || say`valves of ${supply.name}`);
  const [valves, setValves] = useState(supply.valves.join(", "));
  const save = async () => {
    const body = {
      key: supply.controller || `${supply.key}-valves`,
      name,
      supply: supply.key,
      url,
      token,
      valves: valves
        .split(",")
        .map((v) => v.trim())
        .filter(Boolean),
    };
    const said = unwrap(await api.POST("/api/controllers", { body }));
    await acts.again();
    if (said.trouble) throw new Error(say`It is entered, but cannot be used yet: ${said.trouble}`);
  };
  const forget = async () => {
    unwrap(await api.POST("/api/controllers/{key}/forget", { params: { path: { key: supply.controller } } }));
    await acts.again();
    close();
  };
  return (
    <SaveDialog
      title={say`Valve controller of ${supply.name}`}
      close={close}
      save={save}
      more={
        supply.controller && (
          <Button kind="quiet" onClick={() => void forget()}>{say`Delete the controller`}</Button>
        )
      }
    >
      {(refused) => (
        <>
          <Field
            label={say`Name`}
            value={name}
            error={refused.name}
            onChange={(e) => setName(e.target.value)}
          />
          <Field
            label={say`Address`}
            hint={say`like http://192.168.1.40:8600; its interface is described in docs/valve-controller.md`}
            value={url}
            error={refused.url}
            onChange={(e) => setUrl(e.target.value)}
          />
          <Field
            label={say`Token`}
            hint={
              supply.controller ? say`leave it empty to keep the one entered` : say`the controller shows it`
            }
            value={token}
            error={refused.token}
            onChange={(e) => setToken(e.target.value)}
          />
          <Field
            label={say`Valves, with commas`}
            value={valves}
            error={refused.valves}
            onChange={(e) => setValves(e.target.value)}
          />
          <p className="secondary">{say`Nothing is opened until a manager arms the supply on the Plan page. Have the wiring done by somebody licensed for it.`}</p>
        </>
      )}
    </SaveDialog>
  );
}

function Groups({ water }: { water: Water }) {
  const units = useUnits();
  const farm = useFarm();
  const acts = usePlanActs();
  const may = useMay();
  const [said, setSaid] = useState("");
  const name = (key: string) => water.blocks.find((b) => b.key === key)?.name ?? key;
  const lay = async (group: string, approve: boolean) => {
    try {
      const laid = unwrap(
        await api.POST("/api/plan/groups", { body: { group, day: farm.now.slice(0, 10), approve } }),
      );
      const broken = laid.sets.flatMap((s) => s.breaks.map((b) => `${s.name}: ${b}`));
      setSaid(
        laid.kept
          ? say`${laid.name}: ${laid.sets.length} sets approved for today.`
          : broken.length > 0
            ? say`${laid.name} does not fit today: ${broken.join("; ")}.`
            : say`${laid.name} fits today.`,
      );
      await acts.again();
    } catch (error) {
      setSaid(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <>
      {water.groups.length === 0 && <p>{say`No groups yet. A group waters its blocks one after another.`}</p>}
      {water.groups.map((g) => (
        <p
          key={g.key}
          className="flex flex-wrap items-baseline justify-between gap-3 border-t border-rule py-1.5"
        >
          <span>{sayWith`${<b>{g.name}</b>} ${g.blocks.map(name).join(say`, then `)}, from ${g.start}, ${g.minutes ? say`${g.minutes} min each` : say`${show(g.gross_mm ?? 0, "depth", units)} gross each`}`}</span>
          {may("planned_sets") && (
            <span className="flex gap-4">
              <Button kind="quiet" onClick={() => void lay(g.key, false)}>{say`Check for today`}</Button>
              <Button kind="quiet" onClick={() => void lay(g.key, true)}>{say`Approve for today`}</Button>
            </span>
          )}
        </p>
      ))}
      {said && <p role="status">{said}</p>}
    </>
  );
}

function GroupDialog({ water, close }: { water: Water; close: () => void }) {
  const { key, store } = usePicked();
  const [name, setName] = useState("");
  const [blocks, setBlocks] = useState<string[]>([]);
  const [start, setStart] = useState("20:30");
  const [minutes, setMinutes] = useState("");
  const [delay, setDelay] = useState("1");
  const toggle = (block: string) =>
    setBlocks((b) => (b.includes(block) ? b.filter((k) => k !== block) : [...b, block]));
  const save = () =>
    store({
      set_groups: [
        {
          key: key("group"),
          name,
          blocks,
          start,
          minutes: Number(minutes) || null,
          delay_min: Number(delay) || 0,
        },
      ],
    });
  return (
    <SaveDialog title={say`A group of blocks`} close={close} save={save}>
      {(refused) => (
        <>
          <Field
            label={say`Name`}
            value={name}
            error={refused.name}
            onChange={(e) => setName(e.target.value)}
          />
          <fieldset>
            <legend className="font-bold">{say`Blocks, in the order they are chosen`}</legend>
            <div className="flex flex-wrap gap-x-4 gap-y-1">
              {water.blocks.map((b) => (
                <label key={b.key} className="flex gap-1.5">
                  <input type="checkbox" checked={blocks.includes(b.key)} onChange={() => toggle(b.key)} />
                  {b.name}
                  {blocks.includes(b.key) ? ` (${blocks.indexOf(b.key) + 1})` : ""}
                </label>
              ))}
            </div>
            {refused.blocks && <p className="text-[13px] font-bold text-clay">{refused.blocks}</p>}
          </fieldset>
          <div className="grid gap-3 sm:grid-cols-3">
            <Field label={say`Start`} type="time" value={start} onChange={(e) => setStart(e.target.value)} />
            <Field
              label={say`Minutes each`}
              inputMode="decimal"
              value={minutes}
              error={refused.minutes}
              onChange={(e) => setMinutes(e.target.value)}
            />
            <Field
              label={say`Minutes between`}
              inputMode="decimal"
              hint={say`one is common practice: the line fills gently`}
              value={delay}
              onChange={(e) => setDelay(e.target.value)}
            />
          </div>
        </>
      )}
    </SaveDialog>
  );
}
