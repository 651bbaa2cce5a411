"""A long run in flat memory: four times as long, the same peak.

usage: takes_flat_memory.py COMMAND SECONDS RATE_HZ
"""
import pathlib
import resource
import subprocess
import sys
import tempfile

command, seconds, rate_hz = sys.argv[1], float(sys.argv[2]), sys.argv[3]


def scene(followers):
    text = '[target.hook]\nmoves = [{ at_s = 0.5, jump_to_m = 1 }, { at_s = 5, ramp_to_m = 3, over_s = 9 }]\n'
    for i in range(followers):
        text += f'[follower.f{i}]\ntarget = "hook"\ntuning = {{ frequency_hz = {0.5 + 0.01 * i} }}\n'
    return text


def peak_kb(folder, length_s, *options):
    """Of one run by itself."""
    script = (
        "import resource, subprocess, sys\n"
        "subprocess.run(sys.argv[1:], check=True, stdout=subprocess.DEVNULL)\n"
        "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)\n")
    take = folder / "take.csv"
    arguments = [command, "run", str(folder / "many.toml"), "--seconds", str(length_s), "--rate", rate_hz,
                 "--take", str(take), *options]
    result = subprocess.run([sys.executable, "-c", script, *arguments], check=True,
                            capture_output=True, text=True)
    rows = sum(1 for _ in open(take, encoding="utf-8")) - 1
    assert rows == round(length_s * float(rate_hz)) + 1, rows
    take.unlink()
    return int(result.stdout)


with tempfile.TemporaryDirectory() as name:
    folder = pathlib.Path(name)
    (folder / "many.toml").write_text(scene(500), encoding="utf-8")
    short = peak_kb(folder, seconds, "--take-only")
    long = peak_kb(folder, 4 * seconds, "--take-only")
print(f"1,000 channels at {rate_hz} Hz: {seconds:g} s peak at {short} kB, {4 * seconds:g} s at {long} kB")
# Alike: what differs is noise of the allocator, not rows (each has 8 kB).
sys.exit(0 if long < short + 3000 else 1)
