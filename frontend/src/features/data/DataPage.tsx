import { useState } from "react";
import { Link } from "react-router";
import { FormDialog, textIn } from "../../app/FormDialog";
import { useFarm } from "../../app/farm";
import { useMay } from "../../app/session";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";
import { type ReadingToken, useMakeToken, useReadingTokens, useRevokeToken } from "./queries";

const FARM_TABLES = [
  ["round", say`the Round, a block a row`],
  ["zones", say`zones with their water and date`],
  ["visits", say`what to go and see`],
  ["stations", say`stations`],
  ["devices", say`sensors in stock and in the ground`],
  ["faults", say`readings that are not believed`],
  ["sets", say`water that was given`],
  ["weather", say`weather, day by day`],
] as const;
const BLOCK_TABLES = [
  ["wettings", say`wettings`],
  ["demand", say`demand, day by day`],
  ["skill", say`refill dates and what came of them`],
  ["nodes", say`nodes and how they are heard`],
] as const;
const LAYERS = [
  ["blocks", say`blocks with their advice`],
  ["stations", say`stations`],
  ["zones", say`zones`],
] as const;

/** The farm's data in open formats: out as a whole, as tables, drawings and calendars, or read by other programs. */
export function DataPage() {
  const may = useMay();
  return (
    <div className="grid gap-x-12 py-1 min-[1000px]:grid-cols-2">
      <div>
        <h1>{say`Your data, to take with you`}</h1>
        <p className="secondary">{sayWith`Everything in open formats. ${<Link to="/import">{say`Readings come in`}</Link>} on the Import page.`}</p>
        {may("package") && <Whole />}
        {may("package") && <Tokens />}
      </div>
      <div>
        <Tables />
        <section className="mt-6" aria-label={say`Drawings and calendars`}>
          <h2 className="text-[17px] font-bold">{say`Drawings and calendars`}</h2>
          <ul>
            {LAYERS.map(([name, words]) => (
              <li key={name} className="border-t border-rule py-1">
                <a className="underline" href={`/api/layers/${name}.geojson`} download={`${name}.geojson`}>
                  {words}
                </a>{" "}
                <span className="secondary">{say`GeoJSON`}</span>
              </li>
            ))}
            <li className="border-t border-rule py-1">
              <a
                className="underline"
                href="/api/visits.ics"
                download="visits.ics"
              >{say`what to go and see today`}</a>{" "}
              <span className="secondary">{say`calendar`}</span>
            </li>
            <li className="border-t border-rule py-1">
              <Link className="underline" to="/plan">{say`approved sets`}</Link>{" "}
              <span className="secondary">{say`calendar, also as an address a phone follows: on the Plan page`}</span>
            </li>
          </ul>
        </section>
      </div>
    </div>
  );
}

/** The farm, one block or some days of it as one zip. */
function Whole() {
  const { blocks } = useFarm();
  const [block, setBlock] = useState("");
  const [first, setFirst] = useState("");
  const [last, setLast] = useState("");
  const query = new URLSearchParams(
    Object.entries({ block, first, last }).filter(([, value]) => value !== ""),
  ).toString();
  return (
    <section className="mt-4" aria-label={say`The whole farm`}>
      <h2 className="text-[17px] font-bold">{say`The whole farm`}</h2>
      <p>{say`One zip of tables with what their columns mean: readings, faults, sets, marks, plantings, photographs, people without passwords. Read into an empty Embalse it is this farm again, with its past.`}</p>
      <div className="mt-2 grid gap-3 sm:grid-cols-3">
        <Choice
          label={say`Of`}
          value={block}
          options={[
            { value: "", label: say`the whole farm` },
            ...blocks.map((b) => ({ value: b.key, label: b.name })),
          ]}
          change={setBlock}
        />
        <Field label={say`From`} type="date" value={first} onChange={(e) => setFirst(e.target.value)} />
        <Field label={say`To`} type="date" value={last} onChange={(e) => setLast(e.target.value)} />
      </div>
      <p className="mt-3">
        <a
          className="inline-block rounded-sheet bg-ink px-4 py-1.5 font-bold text-panel"
          href={`/api/farm.zip${query ? `?${query}` : ""}`}
        >{say`Take it as a zip`}</a>
      </p>
    </section>
  );
}

function Tables() {
  const { blocks } = useFarm();
  const [block, setBlock] = useState(blocks[0]?.key ?? "");
  return (
    <section className="max-[999px]:mt-6" aria-label={say`Tables`}>
      <h2 className="text-[17px] font-bold">{say`Tables`}</h2>
      <ul>
        {FARM_TABLES.map(([name, words]) => (
          <li key={name} className="border-t border-rule py-1">
            <a className="underline" href={`/api/tables/${name}.csv`}>
              {words}
            </a>{" "}
            <span className="secondary">{say`CSV`}</span>
          </li>
        ))}
      </ul>
      <div className="mt-3 max-w-sm">
        <Choice
          label={say`Of one block`}
          value={block}
          options={blocks.map((b) => ({ value: b.key, label: b.name }))}
          change={setBlock}
        />
      </div>
      <ul className="mt-2">
        {BLOCK_TABLES.map(([name, words]) => (
          <li key={name} className="border-t border-rule py-1">
            <a className="underline" href={`/api/tables/${name}.csv?block=${block}`}>
              {words}
            </a>{" "}
            <span className="secondary">{say`CSV`}</span>
          </li>
        ))}
        <li className="border-t border-rule py-1">
          <a
            className="underline"
            href={`/api/blocks/${block}/readings.csv`}
          >{say`raw readings of the last seven days`}</a>{" "}
          <span className="secondary">{say`CSV`}</span>
        </li>
      </ul>
    </section>
  );
}

function Tokens() {
  const tokens = useReadingTokens(true);
  const revoke = useRevokeToken();
  const [open, setOpen] = useState(false);
  const [made, setMade] = useState<ReadingToken>();
  return (
    <section className="mt-6" aria-label={say`Tokens that read only`}>
      <h2 className="text-[17px] font-bold">{say`Tokens that read only`}</h2>
      <p>{sayWith`For a dashboard or a notebook: it sees what a viewer sees and changes nothing. Send it as ${<code className="figure">{say`Authorization: Bearer …`}</code>}`}</p>
      {made && (
        <p
          role="status"
          className="sheet mt-2 p-3"
        >{sayWith`The token of ${made.name}, shown this once: ${<code className="figure break-all">{made.token}</code>}`}</p>
      )}
      <ul className="mt-2">
        {(tokens.data ?? [])
          .filter((t) => !t.revoked)
          .map((t) => (
            <li
              key={t.id}
              className="flex flex-wrap items-center justify-between gap-3 border-t border-rule py-1"
            >
              <span>
                <b>{t.name}</b>{" "}
                <span className="secondary">
                  {t.last_seen_at
                    ? say`last used ${new Date(1000 * t.last_seen_at).toLocaleString()}`
                    : say`never used`}
                </span>
              </span>
              <Button onClick={() => revoke.mutate(t.id)}>{say`Take it back`}</Button>
            </li>
          ))}
      </ul>
      <p className="mt-2">
        <Button onClick={() => setOpen(true)}>{say`New token`}</Button>
      </p>
      {open && <NewToken close={() => setOpen(false)} made={setMade} />}
    </section>
  );
}

function NewToken({ close, made }: { close: () => void; made: (token: ReadingToken) => void }) {
  const make = useMakeToken();
  return (
    <FormDialog
      title={say`New token that reads only`}
      open
      close={close}
      label={say`Make it`}
      store={async (form) => made(await make.mutateAsync(textIn(form, "name")))}
    >
      {(refused) => <Field label={say`What it is for`} name="name" error={refused.name} />}
    </FormDialog>
  );
}
