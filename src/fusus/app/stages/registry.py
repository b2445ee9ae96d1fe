"""All stages in the order of work. A new stage is one more line here."""

from fusus.app.stages.base import Stage
from fusus.app.stages.bench.ledger import build_ledger as bench_ledger
from fusus.app.stages.bench.notes import notes as bench_notes
from fusus.app.stages.bench.notes import state as bench_state
from fusus.app.stages.bench.sheet import BenchSheet
from fusus.app.stages.brief.ledger import build_ledger as brief_ledger
from fusus.app.stages.brief.notes import notes as brief_notes
from fusus.app.stages.brief.notes import state as brief_state
from fusus.app.stages.brief.sheet import BriefSheet
from fusus.app.stages.drift.ledger import build_ledger as drift_ledger
from fusus.app.stages.drift.notes import notes as drift_notes
from fusus.app.stages.drift.notes import state as drift_state
from fusus.app.stages.drift.sheet import DriftSheet
from fusus.app.stages.fusion.ledger import build_ledger as fusion_ledger
from fusus.app.stages.fusion.notes import notes as fusion_notes
from fusus.app.stages.fusion.notes import state as fusion_state
from fusus.app.stages.fusion.sheet import FusionSheet
from fusus.app.stages.kit.ledger import build_ledger as kit_ledger
from fusus.app.stages.kit.notes import notes as kit_notes
from fusus.app.stages.kit.notes import state as kit_state
from fusus.app.stages.kit.sheet import KitSheet
from fusus.app.stages.loops.ledger import build_ledger as loops_ledger
from fusus.app.stages.loops.notes import notes as loops_notes
from fusus.app.stages.loops.notes import state as loops_state
from fusus.app.stages.loops.sheet import LoopsSheet
from fusus.app.stages.parts.ledger import build_ledger as parts_ledger
from fusus.app.stages.parts.notes import notes as parts_notes
from fusus.app.stages.parts.notes import state as parts_state
from fusus.app.stages.parts.sheet import PartsSheet
from fusus.app.stages.proof.ledger import build_ledger as proof_ledger
from fusus.app.stages.proof.notes import notes as proof_notes
from fusus.app.stages.proof.notes import state as proof_state
from fusus.app.stages.proof.sheet import ProofSheet

ADVICE = (
    "Estimates are advice, not airworthiness. Follow the local rules for unmanned aircraft, and ask licensed people where "
    "these require it."
)
FIRST_FLIGHTS = (
    "Record first flights low, over soft ground, away from people, with a switch that stops the motors; propellers off for all bench "
    "work with a battery in. " + ADVICE
)

BENCH_WORK = (
    "Propellers off for all bench work with a battery in; motors restrained and people away for powered captures; lithium batteries as "
    "their maker says. " + ADVICE
)

STAGES = (
    Stage(
        "brief", "Brief", "What must my craft do, and where?", brief_ledger, BriefSheet, brief_notes, brief_state, ADVICE,
    ),
    Stage(
        "parts", "Parts", "Which IMU, barometer, magnetometer and receiver?", parts_ledger, PartsSheet, parts_notes, parts_state,
        ADVICE,
    ),
    Stage(
        "drift", "Drift", "How wrong will it be, how fast, and why?", drift_ledger, DriftSheet, drift_notes, drift_state, ADVICE,
    ),
    Stage(
        "bench", "Bench", "What are my sensors really like, and are they calibrated well?", bench_ledger, BenchSheet, bench_notes,
        bench_state, BENCH_WORK,
    ),
    Stage(
        "fusion", "Fusion", "Which estimator, tuned how, and does it tell the truth about itself?", fusion_ledger, FusionSheet,
        fusion_notes, fusion_state, FIRST_FLIGHTS,
    ),
    Stage(
        "loops", "Loops", "Does it fit in the loop time, and will it fly?", loops_ledger, LoopsSheet, loops_notes, loops_state,
        BENCH_WORK,
    ),
    Stage(
        "proof", "Proof", "Does the estimate hold on the bench and in flight?", proof_ledger, ProofSheet, proof_notes, proof_state,
        ADVICE,
    ),
    Stage(
        "kit", "Kit", "How do I get it onto my board?", kit_ledger, KitSheet, kit_notes, kit_state, BENCH_WORK,
    ),
)  # fmt: skip
