"""Benchmarks: ``python -m bench [import|block|round|kept|script|ingest|detection|kills|...]``; they print figures."""

import sys

from bench import (
    advised_seasons,
    audit_farm,
    audit_trials,
    block_model,
    block_page,
    contract,
    decisions,
    detection,
    dose_trials,
    dragging,
    field_maps,
    first_screen,
    importing,
    ingest,
    kept_answers,
    kills,
    load,
    map_slider,
    marks,
    mutations,
    night_kills,
    panning,
    plan,
    plan_page,
    power_cut,
    round_list,
    score,
    season_account,
    weeks,
    wetting_trials,
)

ALL = {
    "import": importing.main,
    "block": block_page.main,
    "round": round_list.main,
    "kept": kept_answers.main,
    "script": first_screen.main,
    "ingest": ingest.main,
    "detection": detection.main,
    "kills": kills.main,
    "night": night_kills.main,
    "power_cut": power_cut.main,
    "load": load.main,
    "contract": contract.main,
    "marks": marks.main,
    "decisions": decisions.main,
    "wettings": wetting_trials.main,
    "seasons": advised_seasons.main,
    "model": block_model.main,
    "plan": plan.main,
    "audit": audit_trials.main,
    "audit_farm": audit_farm.main,
    "dose": dose_trials.main,
    "plan_page": plan_page.main,
    "weeks": weeks.main,
    "account": season_account.main,
    "maps": field_maps.main,
    "score": score.main,
}
ALONE = {"panning": panning.main, "dragging": dragging.main, "map_slider": map_slider.main,
         "mutations": mutations.main}  # fmt: skip
"""Asked for by name only: two want the demonstration running (``EMBALSE_BENCH_URL``), the other takes long."""

for name in sys.argv[1:] or ALL:
    (ALL | ALONE)[name]()
