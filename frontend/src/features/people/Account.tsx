import { type FormEvent, useState } from "react";
import { api, unwrap } from "../../api/client";
import { useFarm } from "../../app/farm";
import { errorsOf } from "../../app/records";
import { type Person, usePerson, useTakeOver } from "../../app/session";
import { forgetFieldCopy, waitingCount } from "../../lib/fieldCopy";
import { LANGUAGES, type Language, say } from "../../lib/words";
import { Button } from "../../ui/Button";
import { type Refusals, refusalsByName } from "../../ui/entries";
import { Choice, Field } from "../../ui/Field";

/** One's own account: units, password, signing out. */
export function Account() {
  const person = usePerson();
  if (!person) return null;
  return (
    <div className="grid max-w-md gap-8">
      <Units person={person} />
      <LanguageChoice person={person} />
      {person.by_itself ? (
        <p>{say`This is the demonstration: its manager is signed in automatically, on this machine only, and has no password.`}</p>
      ) : (
        <Password />
      )}
      {!person.by_itself && <SignOut />}
    </div>
  );
}

function Units({ person }: { person: Person }) {
  const farm = useFarm();
  const takeOver = useTakeOver();
  const change = async (units: string) => {
    const body =
      units === "farm"
        ? { farm_units: true }
        : { units: units === "us" ? ("us" as const) : ("metric" as const) };
    await takeOver(unwrap(await api.PATCH("/api/session", { body })));
  };
  const words = { metric: say`mm, cm, ha, m³/h`, us: say`in, ac, gpm` };
  return (
    <Choice
      label={say`Units you see`}
      value={person.units ?? "farm"}
      change={(units) => void change(units)}
      options={[
        { value: "farm", label: say`the farm's own (${words[farm.farm_units]})` },
        { value: "metric", label: say`metric (${words.metric})` },
        { value: "us", label: say`US customary (${words.us})` },
      ]}
    />
  );
}

function LanguageChoice({ person }: { person: Person }) {
  const takeOver = useTakeOver();
  const change = async (name: string) => {
    const language = (Object.keys(LANGUAGES) as Language[]).find((one) => one === name) ?? "en";
    await takeOver(unwrap(await api.PATCH("/api/session", { body: { language } })));
  };
  return (
    <Choice
      label={say`Language`}
      value={person.language}
      change={(name) => void change(name)}
      options={Object.entries(LANGUAGES)
        .filter(([value]) => value !== "xx" || person.by_itself || person.language === "xx")
        .map(([value, label]) => ({ value, label }))}
    />
  );
}

function Password() {
  const [typed, setTyped] = useState({ old_password: "", password: "" });
  const [refused, setRefused] = useState<Refusals>({});
  const [told, setTold] = useState("");
  const takeOver = useTakeOver();
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setTold("");
    try {
      await takeOver(unwrap(await api.PATCH("/api/session", { body: typed })));
      setTyped({ old_password: "", password: "" });
      setRefused({});
      setTold(say`Your password is changed; other devices sign in anew.`);
    } catch (error) {
      setRefused(refusalsByName(errorsOf(error), ["old_password", "password"]));
    }
  };
  const entry = (name: keyof typeof typed) => ({
    value: typed[name],
    error: refused[name],
    type: "password",
    onChange: (e: { target: { value: string } }) => setTyped({ ...typed, [name]: e.target.value }),
  });
  return (
    <form className="grid gap-3" noValidate onSubmit={(e) => void submit(e)}>
      <h2 className="text-[17px] font-bold">{say`Another password`}</h2>
      <Field {...entry("old_password")} label={say`Password in force`} autoComplete="current-password" />
      <Field
        {...entry("password")}
        label={say`New password`}
        hint={say`10 characters or more`}
        autoComplete="new-password"
      />
      {(told || refused[""]) && <p role="status">{told || refused[""]}</p>}
      <Button type="submit" className="justify-self-start">{say`Change password`}</Button>
    </form>
  );
}

function SignOut() {
  const takeOver = useTakeOver();
  const waits = waitingCount();
  const signOut = async () => {
    const session = unwrap(await api.DELETE("/api/session"));
    await forgetFieldCopy();
    await takeOver(session);
  };
  return (
    <div>
      {waits > 0 && (
        <p className="mb-2 font-bold">{say`${waits === 1 ? say`One station waits` : say`${waits} stations wait`} on this phone to be sent; they stay, and go out under whoever signs in next.`}</p>
      )}
      <Button onClick={() => void signOut()}>{say`Sign out on this device`}</Button>
    </div>
  );
}
