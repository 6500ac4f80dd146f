import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, unwrap } from "../../api/client";
import { errorsOf } from "../../app/records";
import { clock, dated, wall } from "../../lib/dates";
import { say, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Field } from "../../ui/Field";

type Content = Schemas["MessagesContent"];
type Told = Schemas["MessageChoice"];
const KEY = ["messages"];
const HOURS = Array.from({ length: 24 }, (_, hour) => ({
  value: String(hour),
  label: `${String(hour).padStart(2, "0")}:00`,
}));
const KINDS = { morning: say`morning letter`, alert: say`at once`, trial: say`trial` } as const;

function useMessages() {
  return useQuery({ queryKey: KEY, queryFn: async () => unwrap(await api.GET("/api/messages")) });
}

/** What somebody wants to be told by mail and when, and everything they were told. */
export function MessagesPage() {
  const found = useMessages();
  if (found.isPending) return <p className="secondary py-6">{say`Opening …`}</p>;
  if (found.isError) return <p className="py-6">{found.error.message}</p>;
  return (
    <div className="grid gap-x-10 gap-y-6 py-1 min-[1000px]:grid-cols-[380px_minmax(0,1fr)]">
      <div>
        <h1>{say`Messages`}</h1>
        {!found.data.mail && (
          <p className="mt-1">{sayWith`${<b>{say`No mail goes out:`}</b>} no mail server is set. Messages stand on this page; docs/operations.md says how to set one.`}</p>
        )}
        <Choosing key={JSON.stringify(found.data.choice)} content={found.data} />
      </div>
      <List content={found.data} />
    </div>
  );
}

function Choosing({ content }: { content: Content }) {
  const client = useQueryClient();
  const [told, setTold] = useState<Told>(content.choice);
  const [refused, setRefused] = useState<Record<string, string>>({});
  const keep = useMutation({
    mutationFn: async (body: Told) => unwrap(await api.POST("/api/messages/choice", { body })),
    onSuccess: (now) => client.setQueryData(KEY, now),
  });
  const tryIt = useMutation({
    mutationFn: async () => unwrap(await api.POST("/api/messages/trial", {})),
    onSuccess: (now) => client.setQueryData(KEY, now),
  });
  const change = (part: Partial<Told>) => setTold({ ...told, ...part });
  const store = async () => {
    try {
      await keep.mutateAsync(told);
      setRefused({});
    } catch (error) {
      setRefused(Object.fromEntries(errorsOf(error).map((e) => [e.path.split(".").pop() ?? "", e.reason])));
    }
  };
  return (
    <form
      className="mt-3 grid gap-3"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void store();
      }}
    >
      <Field
        label={say`Mail address`}
        type="email"
        value={told.email ?? ""}
        error={refused.email}
        onChange={(e) => change({ email: e.target.value })}
      />
      <Choice
        label={say`Morning letter: today's sets, what did not run, what to go and see`}
        value={told.morning_hour === null || told.morning_hour === undefined ? "" : String(told.morning_hour)}
        options={[{ value: "", label: "none" }, ...HOURS]}
        change={(v) => change({ morning_hour: v === "" ? null : Number(v) })}
      />
      <label className="flex gap-2">
        <input
          type="checkbox"
          checked={told.alerts ?? false}
          onChange={(e) => change({ alerts: e.target.checked })}
        />
        <span>{say`At once: a set failed, a valve is open too long, a probe is silent in a block due today, frost or heat is forecast past your limits`}</span>
      </label>
      <div className="grid grid-cols-2 gap-3">
        <Choice
          label={say`Quiet from`}
          value={String(told.quiet_from ?? 21)}
          options={HOURS}
          change={(v) => change({ quiet_from: Number(v) })}
        />
        <Choice
          label={say`until`}
          value={String(told.quiet_until ?? 6)}
          options={HOURS}
          change={(v) => change({ quiet_until: Number(v) })}
        />
      </div>
      <p className="flex flex-wrap gap-3">
        <Button kind="ink" type="submit" disabled={keep.isPending}>{say`Keep this`}</Button>
        <Button onClick={() => tryIt.mutate()} disabled={tryIt.isPending}>{say`Send me a trial`}</Button>
      </p>
      {keep.isSuccess && Object.keys(refused).length === 0 && <p role="status">{say`Kept.`}</p>}
    </form>
  );
}

function List({ content }: { content: Content }) {
  if (content.messages.length === 0)
    return <p className="secondary self-start pt-2">{say`Nothing was told yet.`}</p>;
  return (
    <ul aria-label={say`What you were told`} className="self-start">
      {content.messages.map((m, n) => (
        <li key={m.id} className="border-t border-rule py-2">
          <details open={n === 0}>
            <summary className="cursor-pointer">
              <b>{m.title}</b>
              <span className="secondary block">
                {KINDS[m.kind]}, {dated(m.made)}, {clock(wall(m.made))}:{" "}
                {m.state === "sent" && m.sent
                  ? say`sent ${clock(wall(m.sent))}`
                  : m.state === "waits"
                    ? say`waits to be sent`
                    : say`on this page only`}
                {m.trouble && `, ${m.trouble}`}
              </span>
            </summary>
            <pre className="mt-2 font-sans text-[14px] whitespace-pre-wrap">{m.plain}</pre>
          </details>
        </li>
      ))}
    </ul>
  );
}
