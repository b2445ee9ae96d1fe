"""All questions that stages ask."""

from fusus.app.answers import bench, fusion, kit, loops, parts, proof

QUESTIONS = (
    *parts.QUESTIONS, *bench.QUESTIONS, *fusion.QUESTIONS, *loops.QUESTIONS, *proof.QUESTIONS, *kit.QUESTIONS,
)  # fmt: skip
