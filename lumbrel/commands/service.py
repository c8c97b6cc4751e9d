"""Lumbrel as a service of this machine: it starts by itself, also after a power cut."""

import argparse
import os
import shutil
import subprocess
import sys
from pathlib import Path

from lumbrel.commands.opening import passphrase_wanted
from lumbrel.commands.say import refuse
from lumbrel.words import _

NAME = "lumbrel.service"
USERS, MACHINES = Path(".config/systemd/user"), Path("/etc/systemd/system")
UNIT = """\
# Made by `lumbrel service install`; made anew by it, and taken away by `lumbrel service uninstall`.
[Unit]
Description=Lumbrel, the kitchen in {folder}
After=network.target

[Service]
Type=notify
ExecStart={command}
{who}Restart=always
RestartSec=2
WatchdogSec=60
TimeoutStopSec=20
UMask=0077

NoNewPrivileges=yes
CapabilityBoundingSet=
LockPersonality=yes
RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
SystemCallArchitectures=native
SystemCallFilter=@system-service
{sandbox}
[Install]
WantedBy={wanted}
"""
MACHINES_SANDBOX = """\
ProtectSystem=full
ProtectHome=read-only
ReadWritePaths={folder}
PrivateTmp=yes
ProtectClock=yes
ProtectControlGroups=yes
ProtectHostname=yes
ProtectKernelLogs=yes
ProtectKernelModules=yes
ProtectKernelTunables=yes
ProtectProc=invisible
DevicePolicy=closed
DeviceAllow=char-ttyUSB rw
DeviceAllow=char-ttyACM rw
DeviceAllow=char-ttyS rw
"""
"""What only the machine's own manager can close. Other disks stay open: backups may go there."""


def service(arguments: argparse.Namespace) -> int:
    """Install it, take it away, or say how it stands."""
    if arguments.what == "install":
        return _install(arguments)
    file = _file(arguments.machine)
    if arguments.what == "uninstall":
        if not file.exists():
            return refuse(_("no service is installed at {file}", file=file))
        _systemctl(arguments.machine, "disable", "--now", NAME)
        file.unlink()
        _systemctl(arguments.machine, "daemon-reload")
        print(_("Taken away. The kitchen’s folder is as it was."))
        return 0
    if not file.exists():
        print(_("Not installed. `lumbrel service install` does it."))
        return 3
    return _systemctl(arguments.machine, "status", "--no-pager", NAME)


def unit(data: Path, port: int, *, lan: bool, machine: bool) -> str:
    """The unit, as the manager reads it.

    Args:
        data: the kitchen's folder, absolute.
        port: where it answers.
        lan: whether the kitchen's network may come in.
        machine: of the machine, under the user who installs it; else of that user.
    """
    program = Path(sys.prefix) / "bin" / "lumbrel"
    words = [str(program), "serve", "--data", str(data), "--port", str(port)]
    user = os.environ.get("SUDO_USER") or os.environ.get("USER") or "root"
    who = f"User={user}\nSupplementaryGroups=dialout\n"
    return UNIT.format(
        folder=_escaped(data),
        command=" ".join(_quoted(word) for word in [*words, *(["--lan"] if lan else [])]),
        who=who if machine else "",
        sandbox=MACHINES_SANDBOX.format(folder=_quoted(str(data))) if machine else "",
        wanted="multi-user.target" if machine else "default.target",
    )


def _escaped(path: Path) -> str:
    return str(path).replace("%", "%%")


def _quoted(word: str) -> str:
    """A word of the unit; a percent or a dollar means itself."""
    plain = word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return plain if plain == word and " " not in word else f'"{plain}"'


def _file(machine: bool) -> Path:
    return (MACHINES if machine else Path.home() / USERS) / NAME


def _install(arguments: argparse.Namespace) -> int:
    from lumbrel.web.shell.settings import Access

    data = arguments.data.resolve()
    text = unit(data, arguments.port, lan=arguments.lan, machine=arguments.machine)
    file = _file(arguments.machine)
    if arguments.dry_run:
        print(f"# {file}\n{text}", end="")
        return 0
    data.mkdir(mode=0o700, parents=True, exist_ok=True)
    # Else it would not start, again and again, where nobody sees why.
    if arguments.lan and (wanted := passphrase_wanted(Access(folder=data / "access", lan=True), None)):
        return refuse(wanted)
    file.parent.mkdir(parents=True, exist_ok=True)
    fresh = file.with_suffix(".new")
    fresh.write_text(text, encoding="utf-8")
    fresh.chmod(0o644)
    fresh.replace(file)
    said = _systemctl(arguments.machine, "daemon-reload") or _systemctl(
        arguments.machine, "enable", "--now", NAME
    )
    if said:
        return refuse(_("{file} is written, but the system’s manager did not start it.", file=file))
    print(_("Lumbrel starts by itself from now on: http://127.0.0.1:{port}/", port=arguments.port))
    if not arguments.machine:
        print(_("Before anybody logs in it starts only once you say: loginctl enable-linger"))
    return 0


def _systemctl(machine: bool, *words: str) -> int:
    """Ask the manager; its exit code, and 127 where there is none."""
    program = shutil.which("systemctl")
    if program is None:
        return 127
    return subprocess.run([program, *([] if machine else ["--user"]), *words], check=False).returncode
