"""Seconds from the start of the interpreter until the window has painted, on the present display.

python tools/measure_start.py [RUNS]
"""

import os
import subprocess
import sys
import time

CHILD = """
import os, time
ticks = os.sysconf("SC_CLK_TCK")
with open("/proc/self/stat") as stat:
    started = int(stat.read().rsplit(")", 1)[1].split()[19]) / ticks
with open("/proc/uptime") as uptime:
    born = time.monotonic() - (float(uptime.read().split()[0]) - started)
from labilis.ui.app import make_application
from labilis.app import Session
from labilis.ui.window import Window
application = make_application()
window = Window(Session())
window._started = lambda: None  # the 3D view comes after the window is up
window.show()
while not window.windowHandle().isExposed():
    application.processEvents()
application.processEvents()
print(time.monotonic() - born)
os._exit(0)
"""


def main() -> None:
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 5
    times = []
    for _ in range(runs):
        out = subprocess.run(
            [sys.executable, "-c", CHILD], capture_output=True, text=True, check=True
        ).stdout
        times.append(float(out))
        time.sleep(0.2)
    print(
        "window painted after",
        ", ".join(f"{value:.2f}" for value in times),
        "s; least",
        f"{min(times):.2f} s",
    )


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "xcb")
    main()
