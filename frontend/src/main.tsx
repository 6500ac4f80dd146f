import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "@fontsource-variable/atkinson-hyperlegible-mono/wght.css";
import "./styles.css";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { startSpeaking } from "./lib/words";

/** What pages say is fixed as their modules load, so the catalogue comes before them. */
async function start(root: HTMLElement) {
  await startSpeaking().catch(() => {}); // English, where a catalogue cannot be had
  const { Providers } = await import("./app/Providers");
  createRoot(root).render(
    <StrictMode>
      <Providers />
    </StrictMode>,
  );
}

const root = document.getElementById("root");
if (root) void start(root);
