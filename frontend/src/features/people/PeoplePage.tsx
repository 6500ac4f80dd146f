import { Link, useSearchParams } from "react-router";
import { useMay, usePerson } from "../../app/session";
import { say, sayCode } from "../../lib/words";
import { Tabs } from "../../ui/Tabs";
import { Account } from "./Account";
import { Changes } from "./Changes";
import { PeopleList } from "./PeopleList";

const NAMES = ["you", "people", "changes"] as const;
const TITLES = { you: say`You`, people: say`People of the farm`, changes: say`Who changed what` };

/** Who works on this farm, what each may do, and what each did. */
export function PeoplePage() {
  const [params, setParams] = useSearchParams();
  const person = usePerson();
  const may = useMay();
  const chosen = Math.max(0, (NAMES as readonly (string | null)[]).indexOf(params.get("tab")));
  return (
    <div className="max-w-5xl py-1">
      <h1>{person ? `${person.name}, ${sayCode(person.role)}` : say`People`}</h1>
      <p>
        <Link className="underline" to="/messages">{say`What you are told by mail`}</Link>
      </p>
      <Tabs
        names={NAMES}
        titles={TITLES}
        chosen={chosen}
        choose={(tab) => setParams({ tab }, { replace: true })}
      >
        {[
          <Account key="you" />,
          <PeopleList key="people" mayChange={may("people")} />,
          <Changes key="changes" />,
        ]}
      </Tabs>
    </div>
  );
}
