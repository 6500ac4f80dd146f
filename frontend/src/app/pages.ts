import { say } from "../lib/words";

/** The main pages, in the order of a day. */
export const PAGES = [
  { to: "/", label: say`Round` },
  { to: "/block", label: say`Block` },
  { to: "/plan", label: say`Plan` },
  { to: "/tonight", label: say`Tonight` },
  { to: "/stations", label: say`Stations` },
  { to: "/bench", label: say`Bench` },
  { to: "/import", label: say`Import` },
  { to: "/setup", label: say`Set-up` },
];
