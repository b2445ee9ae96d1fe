"""The control cycle of a project: its tasks, whether they fit, and how long a sample takes to become thrust."""

from dataclasses import dataclass

from fusus.core.timing.motor_signal import MotorSignal, signal_named
from fusus.core.timing.priorities import Response, by_rate, responses, utilisation_bound
from fusus.core.timing.superloop import Superloop, run_superloop
from fusus.core.timing.task import Place, Task, utilisation
from fusus.core.timing.transfer import transfer_s
from fusus.core.vehicle.airframe import hover
from fusus.core.vehicle.motor_command import command_for
from fusus.project.records import Loops, Project
from fusus.study.brief.brief import airframe_of, density_of
from fusus.study.brief.site import site_of

# A burst of gyro, accelerometer and temperature, and of the gyro alone.
IMU_BYTES, GYRO_BYTES = 14, 6
READ, OUTPUT = "read IMU", "motor output"
WRITE_S = 5e-6  # handing a value to a timer
ROUNDING = 1.0 + 1e-9


@dataclass(frozen=True, slots=True)
class Timing:
    """Tasks and what comes of them. ``latency``: named parts of the time from a sample to thrust, s, the motors' lag apart.

    ``superloop`` always stands, ``responses`` are of fixed priorities; ``schedule`` says which one the project takes.
    """

    schedule: str
    period_s: float
    tasks: tuple[Task, ...]
    signal: MotorSignal
    throttle: float
    superloop: Superloop
    responses: tuple[Response, ...]
    bound: float
    latency: tuple[tuple[str, float], ...]

    @property
    def latency_s(self) -> float:
        """From a sample to thrust, s."""
        return sum(s for _, s in self.latency)

    @property
    def utilisation(self) -> float:
        """The share of time that the processor works."""
        return utilisation(self.tasks)

    @property
    def signal_keeps_up(self) -> bool:
        """Whether the motor signal can be sent as often as the loop works commands out, at full throttle too."""
        return 1.0 / self.period_s <= self.signal.highest_rate_hz * ROUNDING

    @property
    def fits(self) -> bool:
        """Whether each cycle, or each task, ends in time."""
        if self.schedule == "superloop":
            return not self.superloop.overruns
        return all(r.is_in_time for r in self.responses)


def hover_throttle(project: Project) -> float:
    """Return the share of full thrust that a motor gives in the hover."""
    found = hover(airframe_of(project.brief.craft), site_of(project).gravity_m_s2, density_of(project))
    return 1.0 / found.thrust_to_weight


def tasks_of(loops: Loops) -> tuple[Task, ...]:
    """Return the work of a control cycle in its order, then what is due less often."""
    period = 1.0 / loops.rate_hz
    count = IMU_BYTES if loops.with_accelerometer else GYRO_BYTES
    reading = transfer_s(loops.bus, count, loops.bus_hz, loops.single_reads)
    at: Place = "processor" if loops.reads_block else "bus"
    # A read takes as long as its bus, whatever the processor.
    read = Task(READ, reading * (loops.processor if at == "processor" else 1.0), period, at, waits_for_pulse=True)
    cycle = (
        read, Task("filter", loops.filter_s, period), Task("estimator", loops.estimator_s, period), Task("PID", loops.pid_s, period),
        Task("mixer", loops.mixer_s, period), Task(OUTPUT, WRITE_S, period),
    )  # fmt: skip
    slow = (
        Task("receiver", loops.receiver_s, 1.0 / loops.receiver_hz, is_loop=False),
        Task("telemetry", loops.telemetry_s, 1.0 / loops.telemetry_hz, is_loop=False),
        Task("logging", loops.logging_s, 1.0 / loops.logging_hz, is_loop=False),
    )
    return tuple(t.faster(loops.processor) for t in (*cycle, *slow) if t.duration_s > 0.0)


def timing_of(project: Project) -> Timing:
    """Return the timing of a project's loops."""
    loops = project.loops
    period = 1.0 / loops.rate_hz
    tasks, signal = tasks_of(loops), signal_named(loops.signal)
    throttle = hover_throttle(project)
    pulse = signal.length_s(command_for(throttle))
    held = pulse if loops.pulse_by_software else 0.0
    loop = run_superloop(tasks, period, held)
    # One piece for the cycle: its parts follow one another and none preempts another.
    in_cycle = [t for t in tasks if t.is_loop]
    work = sum(t.duration_s for t in in_cycle if t.place == "processor") + held
    ranked = by_rate((Task("control cycle", work, period), *(t for t in tasks if not t.is_loop)))
    reading = next((t.duration_s for t in tasks if t.name == READ), 0.0)
    computing = sum(t.duration_s for t in in_cycle if t.name != READ)
    if loops.schedule == "superloop":
        late = max(loop.worst.work_s - period, 0.0)
    else:
        late = next(
            (r.worst_s - work for r in responses(ranked) if r.task.name == "control cycle" and r.worst_s is not None),
            0.0,
        )
    parts = [
        ("reading the IMU", reading), ("filter to mixer", computing), ("held up", late),
        # With a pulse that software times, what is computed now goes out with the next cycle's pulse.
        ("waits for the next pulse", max(period - reading - computing, 0.0) if loops.pulse_by_software else 0.0),
        ("the pulse itself", pulse), ("half a period of holding", 0.5 * period),
    ]  # fmt: skip
    return Timing(
        loops.schedule, period, tasks, signal, throttle, loop, responses(ranked), utilisation_bound(len(ranked)),
        tuple((name, s) for name, s in parts if s > 0.0),
    )  # fmt: skip
