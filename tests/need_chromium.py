"""Sees to it that Debian's chromium is there: installs it as root, says what to install otherwise."""

import os
import shutil
import subprocess
import sys

if shutil.which("chromium") is None:
    if os.geteuid() != 0 or shutil.which("apt-get") is None:
        sys.exit("The browser tests need chromium: install your system's package `chromium` and run this again.")
    print("Installing chromium …", flush=True)
    quiet = {"stdout": subprocess.DEVNULL, "env": {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}}
    subprocess.run(["apt-get", "update"], check=True, **quiet)
    subprocess.run(["apt-get", "install", "--yes", "--no-install-recommends", "chromium"], check=True, **quiet)
