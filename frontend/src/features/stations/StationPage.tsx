import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useFarm, useUnits } from "../../app/farm";
import { momentOf, newKey, useDelete } from "../../app/records";
import { clock, dayMonth, wall } from "../../lib/dates";
import { show, type UnitSystem } from "../../lib/units";
import { say, sayCode } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Wide } from "../../ui/Wide";
import { Hole, markWords } from "./Hole";
import { MoveDialog } from "./MoveDialog";
import { type Sheet, useApply, useProcedures, useStation } from "./queries";
import { ReadByHand } from "./ReadByHand";
import { ReplaceDialog } from "./ReplaceDialog";
import { StandsFor } from "./StandsFor";
import { StationFacts } from "./StationFacts";
import { StationTime } from "./StationTime";
import { methodFor } from "./stationParts";
import { VisitDialog } from "./VisitDialog";

/** One station: its sensors, how far it is trusted, what can be done at it, and everything that happened. */
export function StationPage() {
  const { block = "", station = "" } = useParams();
  const sheet = useStation(block, station);
  const units = useUnits();
  if (sheet.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (sheet.isError) return <p className="py-6">{sheet.error.message}</p>;
  const { data } = sheet;
  return (
    <div className="py-1">
      <p className="secondary">
        <Link className="underline" to="/stations">{say`Stations`}</Link>
      </p>
      <div className="flex flex-wrap items-baseline gap-x-5">
        <h1>
          {data.line.block_name}, {data.line.name}
        </h1>
        <b>{data.line.state_words}</b>
        <span className="secondary">{dates(data)}</span>
      </div>
      <Actions sheet={data} />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] gap-8 lg:grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)]">
        <div>
          <Sensors sheet={data} units={units} />
          <Years sheet={data} units={units} />
          <ReadByHand sheet={data} />
          <StandsFor sheet={data} />
          <Log sheet={data} />
        </div>
        <div>
          <Hole sheet={data} />
          <StationFacts sheet={data} />
        </div>
      </div>
    </div>
  );
}

function dates(sheet: Sheet): string {
  const words = [];
  if (sheet.installed) words.push(say`installed ${dayMonth(wall(sheet.installed))}`);
  if (sheet.moved) words.push(say`moved ${dayMonth(wall(sheet.moved))}`);
  if (sheet.removed) words.push(say`removed ${dayMonth(wall(sheet.removed))}`);
  return words.join(", ");
}

function Actions({ sheet }: { sheet: Sheet }) {
  const [dialog, setDialog] = useState<"visit" | "replace" | "move" | null>(null);
  const { ref, state, open_run, window } = sheet.line;
  const away = state === "planned" || state === "removed";
  return (
    <div className="mt-3 flex flex-wrap items-center gap-3">
      {open_run ? (
        <Link
          to={`/run/${open_run}`}
          className="rounded-sheet bg-clay px-4 py-1.5 font-bold text-panel"
        >{say`Go on installing`}</Link>
      ) : (
        away && <StartRun sheet={sheet} kind="install" />
      )}
      {state !== "removed" && (
        <Link
          to={`/stations/${ref}/check`}
          className="rounded-sheet border border-ink px-4 py-1.5"
        >{say`Channel check`}</Link>
      )}
      {!away && (
        <>
          <Button onClick={() => setDialog("visit")}>{say`Log a visit`}</Button>
          <Button onClick={() => setDialog("replace")}>{say`Replace a sensor`}</Button>
          <Button onClick={() => setDialog("move")}>{say`Move it`}</Button>
          <StartRun sheet={sheet} kind="end" />
        </>
      )}
      {sheet.open_other && (
        <Link
          to={`/run/${sheet.open_other}`}
          className="rounded-sheet border border-ink px-4 py-1.5"
        >{say`Go on: ${sheet.open_other_title.toLowerCase()}`}</Link>
      )}
      {!open_run && !sheet.open_other && state === "planned" && <StartRun sheet={sheet} kind="prepare" />}
      {!open_run && !sheet.open_other && state !== "removed" && (sheet.unknown.length > 0 || away) && (
        <StartRun sheet={sheet} kind="find" />
      )}
      <Link to={`/stations/${ref}/tags`} className="underline">{say`tags and site sheet`}</Link>
      {state === "planned" && <p className="secondary basis-full">{window}</p>}
      <VisitDialog sheet={sheet} open={dialog === "visit"} close={() => setDialog(null)} />
      <ReplaceDialog sheet={sheet} open={dialog === "replace"} close={() => setDialog(null)} />
      <MoveDialog sheet={sheet} open={dialog === "move"} close={() => setDialog(null)} />
    </div>
  );
}

const STARTS = {
  install: { label: say`Install it`, first: "" },
  end: { label: say`Remove`, first: "remove" },
  prepare: { label: say`Make its tubes`, first: "make-tubes" },
  find: { label: say`Find out about it`, first: "find-out" },
} as const;

function StartRun({ sheet, kind }: { sheet: Sheet; kind: keyof typeof STARTS }) {
  const farm = useFarm();
  const navigate = useNavigate();
  const apply = useApply();
  const procedures = useProcedures();
  const offered = (procedures.data ?? []).filter((p) => p.kind === kind && p.subject === "station");
  const first = STARTS[kind].first || methodFor(sheet.line.types[0] ?? "");
  const [method, setMethod] = useState(first);
  const begin = async () => {
    const key = newKey(method, farm);
    await apply.mutateAsync({
      procedure_runs: [
        { key, procedure: method, station: sheet.line.ref, started: momentOf(farm), done: {} },
      ],
    });
    navigate(`/run/${key}`);
  };
  return (
    <span className="flex flex-wrap items-center gap-2">
      {offered.length > 1 && (
        <select
          aria-label={say`How it is installed`}
          className="rounded-sheet border border-rule bg-panel px-2 py-1.5"
          value={method}
          onChange={(e) => setMethod(e.target.value)}
        >
          {offered.map((p) => (
            <option key={p.procedure} value={p.procedure}>
              {p.title}
            </option>
          ))}
        </select>
      )}
      <Button
        kind={kind === "install" ? "act" : "plain"}
        disabled={apply.isPending}
        onClick={() => void begin()}
      >
        {STARTS[kind].label}
      </Button>
    </span>
  );
}

function Sensors({ sheet, units }: { sheet: Sheet; units: UnitSystem }) {
  const waiting = [...new Set(sheet.sensors.filter((s) => !s.settled).map((s) => s.settling_words))];
  return (
    <section aria-label={say`Sensors`}>
      <h2 className="text-[17px] font-bold">{say`Sensors`}</h2>
      {waiting.map((words) => (
        <p key={words}>
          <b>{say`Not used for advice:`}</b> {words}
        </p>
      ))}
      <Wide label={say`Sensors by depth`}>
        <table className="mt-1 w-full text-left [&_td]:pr-3 [&_th]:pr-3">
          <thead className="secondary">
            <tr>
              {[say`depth`, say`mark`, say`device`, say`channel`, say`since`, say`trust`].map((h) => (
                <th key={h} className="font-normal">
                  {h || <span className="sr-only">{say`to do`}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sheet.sensors.map((s) => (
              <tr key={s.ref} className="border-t border-rule align-baseline">
                <td className="py-1.5 font-bold">
                  <Link className="underline" to={`/stations/${sheet.line.ref}/sensor/${s.key}`}>
                    {s.depth_known ? show(s.depth_cm, "soilDepth", units) : say`${s.key}: depth not known`}
                  </Link>
                </td>
                <td>{markWords(s.mark)}</td>
                <td>
                  {s.device ?? <span className="secondary">{say`not in the register`}</span>}
                  {s.past_devices.length > 0 && (
                    <p className="secondary">{say`before: ${s.past_devices.join(", ")}`}</p>
                  )}
                </td>
                <td className="figure">{s.channel || "–"}</td>
                <td>{s.since ? dayMonth(wall(s.since)) : "–"}</td>
                <td>
                  {!s.depth_known ? (
                    <b>{say`watched only`}</b>
                  ) : s.settled ? (
                    sayCode(s.settling_words.split(":")[0])
                  ) : (
                    <b>{say`settling`}</b>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Wide>
    </section>
  );
}

/** Wet and dry ends of each sensor year by year, where two years are there. */
function Years({ sheet, units }: { sheet: Sheet; units: UnitSystem }) {
  const told = sheet.sensors.flatMap((s) => (s.years ? [{ sensor: s, years: s.years }] : []));
  if (told.length === 0) return null;
  return (
    <section aria-label={say`Year over year`}>
      <h2 className="text-[17px] font-bold">{say`Year over year`}</h2>
      <p className="secondary">{say`Dry end to wet end, m³/m³: the driest and wettest twentieth of the dawns.`}</p>
      <ul>
        {told.map(({ sensor, years }) => (
          <li key={sensor.ref} className="border-t border-rule py-1.5">
            <p>
              <b>{show(sensor.depth_cm, "soilDepth", units)}</b>{" "}
              <span className={years.kind === "drift" ? "font-bold text-clay" : ""}>{years.words}.</span>
            </p>
            <p className="figure flex flex-wrap gap-x-5">
              {years.years.map((y) => (
                <span
                  key={y.last_day}
                >{say`${y.last_day.slice(0, 4)}: ${y.dry_theta.toFixed(3)} to ${y.wet_theta.toFixed(3)}`}</span>
              ))}
            </p>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Log({ sheet }: { sheet: Sheet }) {
  const remove = useDelete();
  return (
    <section aria-label={say`History`} className="mt-5">
      <h2 className="text-[17px] font-bold">{say`History`}</h2>
      {sheet.log.length === 0 && <p className="secondary">{say`Nothing yet.`}</p>}
      <StationTime sheet={sheet} />
      <ul className="mt-1">
        {sheet.log.map((line) => (
          <li key={`${line.kind} ${line.key}`} className="border-t border-rule py-1.5">
            <p className="flex justify-between gap-3">
              <b>{sayCode(line.what)}</b>
              <span className="secondary shrink-0">
                {dayMonth(wall(line.at))}, {clock(wall(line.at))}
              </span>
            </p>
            <p>
              {line.note}{" "}
              <span className="secondary">
                {line.who}
                {line.kind === "procedure_runs" && (
                  <Link className="ml-3 underline" to={`/run/${line.key}`}>{say`open`}</Link>
                )}
                {line.kind === "channel_checks" && (
                  <Link
                    className="ml-3 underline"
                    to={`/stations/${sheet.line.ref}/check/${line.key}`}
                  >{say`open`}</Link>
                )}
                <button
                  type="button"
                  className="ml-3 underline"
                  onClick={() => void remove({ kind: line.kind, key: line.key, name: line.what })}
                >{say`delete`}</button>
              </span>
            </p>
            {line.photo && (
              <img src={`/api/photos/${line.photo}`} alt={line.what} className="mt-1 max-h-40" />
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
