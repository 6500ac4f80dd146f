import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactElement } from "react";
import { MemoryRouter } from "react-router";
import { vi } from "vitest";
import type { BlockAdvice, Farm } from "../api/client";
import { FarmProvider } from "../app/farm";

export const FARM: Farm = {
  set_up: true,
  name: "Las Eras",
  time_zone: "Europe/Madrid",
  units: "metric",
  farm_units: "metric",
  now: "2026-07-14T06:00+02:00",
  clock_held: true,
  blocks: [{ key: "hoya", name: "Hoya", crop: "almond", area_ha: 4.5, soil: "loam" }],
  sensors: 3,
  troubles: [],
  samples: [],
};

export function block(part: Partial<BlockAdvice> = {}): BlockAdvice {
  return {
    key: "hoya",
    name: "Hoya",
    crop: "almond",
    area_ha: 4.5,
    system: "drip",
    group: "act",
    reason: "7 mm above refill; using 11 mm a day.",
    reasons: [],
    binding: "",
    why: part.reason ?? "7 mm above refill; using 11 mm a day.",
    cautions: [],
    why_no_date: "",
    narrows: "",
    notices: [],
    not_sooner: "",
    not_less: "",
    start_by_at: null,
    wait_until_at: null,
    stage: "mid",
    by_weather: true,
    trigger_mm: 50,
    readily_left_mm: 20,
    further_mm: 50,
    can_finish: false,
    ordered: "",
    root_depth_cm: 60,
    wetted_fraction: 0.5,
    marks: {
      full_mm: 180,
      refill_mm: 130,
      wilting_mm: 80,
      saturation_mm: 250,
      taw_mm: 100,
      allowable_mm: 50,
    },
    zones: [],
    storage_mm: 137,
    depletion_mm: 43,
    depletion_error_mm: 4,
    use_mm_d: { low: 9, mid: 11, high: 13 },
    refill: {
      days: { low: 0.3, mid: 0.6, high: 1.1 },
      low_at: "2026-07-14T13:00+02:00",
      mid_at: "2026-07-14T20:00+02:00",
      high_at: "2026-07-15T08:00+02:00",
      irrigate_by_day: 0,
    },
    advised: {
      start_depletion_mm: 43,
      uncut_net_mm: 21.5,
      net_mm: 21.5,
      gross_mm: 23.9,
      set_time_h: 11.2,
      set_time_min: 670,
      volume_m3: 1075,
      limited_by: "",
      timer_fraction: null,
      kept_fraction: 0.9,
      rain_room_mm: 0,
      pulses: null,
      sets: 1,
      all_sets_min: null,
    },
    projected_mm: [],
    stations_used: 1,
    stations_total: 1,
    last_reading_at: "2026-07-14T06:00+02:00",
    not_trusted: [],
    working: [],
    ...part,
  };
}

/** Answers requests by the end of their path; what was asked for is kept. */
export function answerWith(answers: Record<string, unknown>): { asked: Request[] } {
  const asked: Request[] = [];
  vi.stubGlobal("fetch", async (input: Request | string, init?: RequestInit) => {
    const request = new Request(typeof input === "string" ? new URL(input, "http://localhost") : input, init);
    asked.push(request.clone());
    const { pathname } = new URL(request.url);
    const found = Object.entries(answers).find(([end]) => pathname.endsWith(end));
    const [status, body] = found
      ? [200, found[1]]
      : [404, { errors: [{ path: "request", reason: "nothing here" }] }];
    return new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } });
  });
  return { asked };
}

/** What was last sent to an address, by the end of its path; undefined when nothing was. */
export async function sentTo(asked: Request[], end: string): Promise<unknown> {
  const found = asked.filter((r) => r.method !== "GET" && new URL(r.url).pathname.endsWith(end));
  const last = found[found.length - 1];
  return last ? JSON.parse(await last.clone().text()) : undefined;
}

export function show(page: ReactElement, farm: Farm = FARM, at = "/") {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[at]}>
        <FarmProvider farm={farm}>{page}</FarmProvider>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}
