import { type FormEvent, type ReactNode, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { api, unwrap } from "../../api/client";
import { errorsOf } from "../../app/records";
import { type Session, useTakeOver } from "../../app/session";
import { say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { type Refusals, refusalsByName } from "../../ui/entries";
import { Field } from "../../ui/Field";

/** What stands before the farm: signing in, the first owner, an invitation. */
export function Door({ session }: { session: Session }) {
  const { pathname, hash } = useLocation();
  const code = decodeURIComponent(hash.slice(1));
  if (pathname === "/invitation") return <Invitation code={code} />;
  if (session.first_run) return <FirstOwner code={code} />;
  return <SignIn />;
}

function SignIn() {
  const form = useDoorForm(["sign_in", "password"], async (typed) =>
    unwrap(await api.POST("/api/session", { body: { sign_in: typed.sign_in, password: typed.password } })),
  );
  return (
    <DoorSheet title={say`Sign in`} button={say`Sign in`} form={form}>
      <Field
        {...form.entry("sign_in")}
        label={say`Name you sign in with`}
        autoComplete="username"
        autoFocus
      />
      <Field
        {...form.entry("password")}
        label={say`Password`}
        type="password"
        autoComplete="current-password"
      />
      <p className="secondary">{say`Forgotten? The farm's owner can send you an invitation again.`}</p>
    </DoorSheet>
  );
}

function FirstOwner({ code }: { code: string }) {
  const names = ["name", "sign_in", "password", "code"] as const;
  const form = useDoorForm(
    names,
    async (typed) => unwrap(await api.POST("/api/people/first", { body: typed })),
    { code },
    "/",
  );
  return (
    <DoorSheet title={say`Make the farm's owner`} button={say`Make the owner and sign in`} form={form}>
      <p>{say`Nobody can sign in yet. The owner sees everything, changes everything, and invites the others.`}</p>
      <Field {...form.entry("name")} label={say`Your name`} autoComplete="name" autoFocus />
      <Field {...form.entry("sign_in")} label={say`Name to sign in with`} autoComplete="username" />
      <NewPassword entry={form.entry("password")} />
      {!code && (
        <Field {...form.entry("code")} label={say`Code`} hint={say`printed by the server when it started`} />
      )}
    </DoorSheet>
  );
}

function Invitation({ code }: { code: string }) {
  const form = useDoorForm(
    ["password", "code"],
    async (typed) => unwrap(await api.POST("/api/invitations", { body: { code, password: typed.password } })),
    {},
    "/",
  );
  return (
    <DoorSheet title={say`Set your password`} button={say`Set password and sign in`} form={form}>
      <p>{say`This invitation is for one person and works once.`}</p>
      <NewPassword entry={form.entry("password")} autoFocus />
    </DoorSheet>
  );
}

type DoorEntry = ReturnType<ReturnType<typeof useDoorForm<string>>["entry"]>;

function NewPassword({ entry, autoFocus }: { entry: DoorEntry; autoFocus?: boolean }) {
  return (
    <Field
      {...entry}
      label={say`Password`}
      hint={say`10 characters or more; three or four words are easy to keep`}
      type="password"
      autoComplete="new-password"
      autoFocus={autoFocus}
    />
  );
}

function useDoorForm<N extends string>(
  names: readonly N[],
  send: (typed: Record<N, string>) => Promise<Session>,
  start: Partial<Record<N, string>> = {},
  then?: string,
) {
  const empty = Object.fromEntries(names.map((n) => [n, start[n] ?? ""])) as Record<N, string>;
  const [typed, setTyped] = useState(empty);
  const [refused, setRefused] = useState<Refusals>({});
  const [busy, setBusy] = useState(false);
  const takeOver = useTakeOver();
  const go = useNavigate();
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    try {
      const session = await send(typed);
      if (then) go(then, { replace: true });
      await takeOver(session);
    } catch (error) {
      setRefused(refusalsByName(errorsOf(error), [...names]));
    } finally {
      setBusy(false);
    }
  };
  const entry = (name: N) => ({
    name,
    value: typed[name],
    error: refused[name],
    onChange: (e: { target: { value: string } }) => setTyped({ ...typed, [name]: e.target.value }),
  });
  return { submit, entry, busy, refused };
}

interface DoorSheetProps {
  title: string;
  button: string;
  form: { submit: (event: FormEvent) => Promise<void>; busy: boolean; refused: Refusals };
  children: ReactNode;
}

function DoorSheet({ title, button, form, children }: DoorSheetProps) {
  const told =
    form.refused[""] ?? (form.refused.code && title !== "Make the farm's owner" && form.refused.code);
  return (
    <main id="main" className="mx-auto max-w-[420px] px-4 pt-[12vh] pb-10">
      <p className="text-[22px] font-bold">{say`Embalse`}</p>
      <p className="secondary">{say`The root zone as a reservoir: when to irrigate, how much, for how long.`}</p>
      <form className="sheet mt-6 grid gap-4 p-5" noValidate onSubmit={(e) => void form.submit(e)}>
        <h1>{title}</h1>
        {children}
        {told && (
          <p role="alert" className="font-bold text-clay">
            {told.replace(/^[a-z]+: /, "")}
          </p>
        )}
        <Button type="submit" kind="ink" disabled={form.busy}>
          {button}
        </Button>
      </form>
    </main>
  );
}
