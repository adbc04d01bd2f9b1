"""A filter of the kernel (seccomp) for a probe that runs with rights: from then on it can read, and nothing else.

Opening a file for writing, starting a program, reaching the network, changing files, rights or the clock, and tracing
or ending others are refused by the kernel itself with *not permitted*. Sources: the kernel's
Documentation/userspace-api/seccomp_filter.rst; numbers of calls from arch/x86/entry/syscalls/syscall_64.tbl and
include/uapi/asm-generic/unistd.h.
"""

import ctypes
import errno
import os
import struct

from pinch.sources.probe.kernel_files import say

PR_SET_NO_NEW_PRIVS, PR_SET_SECCOMP, MODE_FILTER = 38, 22, 2
LOAD, AND, IF_EQUAL, IF_AT_LEAST, GIVE = 0x20, 0x54, 0x15, 0x35, 0x06
ALLOW, REFUSE = 0x7FFF0000, 0x00050000 | errno.EPERM
AT_NUMBER, AT_MACHINE, AT_ARGUMENTS = 0, 4, 16
OTHER_NUMBERS = 0x40000000
"""Calls from here on are those of a second way of counting."""
WRITING = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
MACHINES = {"x86_64": (0xC000003E, 0), "aarch64": (0xC00000B7, 1)}
OPENING = {"open": ((2, None), 1), "openat": ((257, 56), 2)}
"""Calls that open a file, by machine, and which of their arguments are the flags."""
REFUSED = """
socket 41 198, connect 42 203, bind 49 200, listen 50 201, accept 43 202, accept4 288 242, execve 59 221,
execveat 322 281, kill 62 129, tkill 200 130, tgkill 234 131, pidfd_send_signal 424 424, pidfd_getfd 438 438,
ptrace 101 117, process_vm_writev 311 271, openat2 437 437, creat 85 -, truncate 76 45, rename 82 -, renameat 264 38,
renameat2 316 276, mkdir 83 -, mkdirat 258 34, rmdir 84 -, link 86 -, linkat 265 37, unlink 87 -, unlinkat 263 35,
symlink 88 -, symlinkat 266 36, mknod 133 -, mknodat 259 33, chmod 90 -, fchmod 91 52, fchmodat 268 53, chown 92 -,
fchown 93 55, lchown 94 -, fchownat 260 54, utime 132 -, utimes 235 -, utimensat 280 88, futimesat 261 -,
setxattr 188 5, lsetxattr 189 6, fsetxattr 190 7, removexattr 197 14, lremovexattr 198 15, fremovexattr 199 16,
mount 165 40, umount2 166 39, pivot_root 155 41, chroot 161 51, move_mount 429 429, fsopen 430 430, open_tree 428 428,
mount_setattr 442 442, swapon 167 224, swapoff 168 225, reboot 169 142, sethostname 170 161, setdomainname 171 162,
init_module 175 105, finit_module 313 273, delete_module 176 106, kexec_load 246 104, kexec_file_load 320 294,
bpf 321 280, io_uring_setup 425 425, setns 308 268, unshare 272 97, settimeofday 164 170, clock_settime 227 112,
adjtimex 159 171, clock_adjtime 305 266, open_by_handle_at 304 265, iopl 172 -, ioperm 173 -, acct 163 89,
quotactl 179 60
"""


def only_read() -> None:
    """Give up everything but reading, for good; says so where the kernel or the machine has no such filter."""
    machine = MACHINES.get(os.uname().machine)
    if machine is None or not _install(reading_filter(*machine)):
        say("this kernel does not take the right to write from the probe; that it only reads is its own promise")


def reading_filter(machine: int, column: int) -> list[tuple[int, int, int, int]]:
    """The filter as instructions: code, jump where true, jump where false, value. Jumps count those passed over."""
    numbers = [entry.split()[1 + column] for entry in REFUSED.replace("\n", " ").split(",")]
    refused = [int(number) for number in numbers if number != "-"]
    steps = [(LOAD, 0, 0, AT_MACHINE), (IF_EQUAL, 1, 0, machine), (GIVE, 0, 0, REFUSE), (LOAD, 0, 0, AT_NUMBER)]
    steps += [(IF_AT_LEAST, 0, 1, OTHER_NUMBERS), (GIVE, 0, 0, REFUSE)]
    for number in refused:
        steps += [(IF_EQUAL, 0, 1, number), (GIVE, 0, 0, REFUSE)]
    for by_machine, argument in OPENING.values():
        opening = by_machine[column]
        if opening is not None:
            steps += [(IF_EQUAL, 0, 5, opening), (LOAD, 0, 0, AT_ARGUMENTS + 8 * argument), (AND, 0, 0, WRITING)]
            steps += [(IF_EQUAL, 0, 1, 0), (GIVE, 0, 0, ALLOW), (GIVE, 0, 0, REFUSE)]
    return [*steps, (GIVE, 0, 0, ALLOW)]


def _install(steps: list[tuple[int, int, int, int]]) -> bool:
    """Hand the filter to the kernel; whether it took it."""

    class Program(ctypes.Structure):
        _fields_ = [("length", ctypes.c_ushort), ("steps", ctypes.c_void_p)]

    code = ctypes.create_string_buffer(b"".join(struct.pack("=HBBI", *step) for step in steps))
    program = Program(len(steps), ctypes.addressof(code))
    control = ctypes.CDLL(None, use_errno=True).prctl
    zero = ctypes.c_ulong(0)
    if control(PR_SET_NO_NEW_PRIVS, ctypes.c_ulong(1), zero, zero, zero) != 0:
        return False
    return bool(control(PR_SET_SECCOMP, ctypes.c_ulong(MODE_FILTER), ctypes.byref(program), zero, zero) == 0)
