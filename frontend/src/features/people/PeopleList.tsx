import { type FormEvent, useState } from "react";
import type { Schemas } from "../../api/client";
import { errorsOf } from "../../app/records";
import type { Person } from "../../app/session";
import { dayMonth, wall } from "../../lib/dates";
import { say, sayCode, sayWith } from "../../lib/words";
import { Button } from "../../ui/Button";
import { type Refusals, refusalsByName } from "../../ui/entries";
import { Choice, Field } from "../../ui/Field";
import { type Invitation, useChangePerson, useInvite, useInviteAgain, usePeople } from "./queries";

type Role = Person["role"];
type Roles = Schemas["RoleOut"][];

/** Everybody, with role and state; an owner invites, changes and sends away. */
export function PeopleList({ mayChange }: { mayChange: boolean }) {
  const people = usePeople();
  const [invitation, setInvitation] = useState<Invitation>();
  if (people.isPending) return <p className="secondary">{say`Opening …`}</p>;
  if (people.isError) return <p>{people.error.message}</p>;
  const { roles } = people.data;
  return (
    <>
      <ul>
        {people.data.people.map((person) => (
          <PersonRow
            key={person.id}
            person={person}
            roles={roles}
            mayChange={mayChange}
            invited={setInvitation}
          />
        ))}
      </ul>
      {invitation && <Link invitation={invitation} close={() => setInvitation(undefined)} />}
      {mayChange ? (
        <Invite roles={roles} invited={setInvitation} />
      ) : (
        <p className="secondary mt-3">{say`An owner invites people and changes what they may do.`}</p>
      )}
      <dl className="mt-8 grid gap-x-6 gap-y-1 sm:grid-cols-[auto_1fr]">
        {roles.map(({ role, words }) => (
          <div key={role} className="contents">
            <dt className="font-bold">{sayCode(role)}</dt>
            <dd className="text-ink-2">{words}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}

interface PersonRowProps {
  person: Person;
  roles: Roles;
  mayChange: boolean;
  invited: (invitation: Invitation) => void;
}

function PersonRow({ person, roles, mayChange, invited }: PersonRowProps) {
  const change = useChangePerson();
  const again = useInviteAgain();
  const left = person.state === "left";
  return (
    <li className="grid items-baseline gap-x-4 border-t border-rule py-2 sm:grid-cols-[1.2fr_1fr_1fr_1.4fr]">
      <span>
        <b>{person.name}</b> <span className="text-ink-2">{person.sign_in}</span>
      </span>
      {mayChange && !left ? (
        <select
          aria-label={say`Role of ${person.name}`}
          className="rounded-sheet border border-rule bg-panel px-2 py-1"
          value={person.role}
          onChange={(e) => change.mutate({ id: person.id, role: e.target.value as Role })}
        >
          {roles.map(({ role }) => (
            <option key={role} value={role}>
              {sayCode(role)}
            </option>
          ))}
        </select>
      ) : (
        <span>{sayCode(person.role)}</span>
      )}
      <span className="text-ink-2">{stateWords(person)}</span>
      {mayChange ? (
        <span className="flex gap-4">
          {!left && !person.by_itself && (
            <button
              type="button"
              className="underline"
              onClick={async () => invited(await again.mutateAsync(person.id))}
            >
              {person.state === "active" ? say`new password link` : say`invite again`}
            </button>
          )}
          <button
            type="button"
            className="underline"
            onClick={() => change.mutate({ id: person.id, left: !left })}
          >
            {left ? say`bring back` : say`has left`}
          </button>
        </span>
      ) : (
        <span />
      )}
      {change.isError && (
        <p role="alert" className="font-bold text-clay sm:col-span-4">
          {change.error.message}
        </p>
      )}
    </li>
  );
}

function stateWords(person: Person): string {
  if (person.by_itself) return say`signed in automatically, here only`;
  if (person.state === "active")
    return person.seen ? say`last here ${dayMonth(wall(person.seen))}` : "active";
  return sayCode(person.state);
}

function Link({ invitation, close }: { invitation: Invitation; close: () => void }) {
  return (
    <div className="sheet mt-3 border-2 border-ink p-3" role="status">
      <p>{sayWith`Give this link to ${<b>{invitation.person.name}</b>}. It is shown this once, works once, and lapses in ${invitation.days} days:`}</p>
      <p className="figure mt-1 break-all select-all">
        {`${window.location.origin}/invitation#${invitation.code}`}
      </p>
      <Button kind="quiet" onClick={close}>{say`Done`}</Button>
    </div>
  );
}

function Invite({ roles, invited }: { roles: Roles; invited: (invitation: Invitation) => void }) {
  const invite = useInvite();
  const [typed, setTyped] = useState({ name: "", sign_in: "", role: "field hand" as Role });
  const [refused, setRefused] = useState<Refusals>({});
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    try {
      invited(await invite.mutateAsync(typed));
      setTyped({ ...typed, name: "", sign_in: "" });
      setRefused({});
    } catch (error) {
      setRefused(refusalsByName(errorsOf(error), ["name", "sign_in", "role"]));
    }
  };
  return (
    <form className="mt-6 flex flex-wrap items-start gap-4" noValidate onSubmit={(e) => void submit(e)}>
      <Field
        label={say`Name`}
        value={typed.name}
        error={refused.name}
        onChange={(e) => setTyped({ ...typed, name: e.target.value })}
      />
      <Field
        label={say`Signs in as`}
        hint={say`letters, numbers, . _ @ + -`}
        value={typed.sign_in}
        error={refused.sign_in}
        autoCapitalize="none"
        onChange={(e) => setTyped({ ...typed, sign_in: e.target.value })}
      />
      <Choice
        label={say`Role`}
        value={typed.role}
        options={roles.map(({ role }) => ({ value: role, label: role }))}
        change={(role) => setTyped({ ...typed, role: role as Role })}
      />
      <Button type="submit" className="mt-5" disabled={invite.isPending}>{say`Invite`}</Button>
      {refused[""] && (
        <p role="alert" className="w-full font-bold text-clay">
          {refused[""]}
        </p>
      )}
    </form>
  );
}
