"""The key of a protected record: a random one, wrapped by a passphrase and by a recovery code.

`key.json` lies in the folder of the record and of each of its backups. It holds the wrapped key, never the key, the
passphrase or the code. Whoever has told the passphrase once may open every folder with the same key until the program
ends. Argon2id (Biryukov 2016; RFC 9106), XChaCha20-Poly1305 and BLAKE2b of libsodium.
"""

from __future__ import annotations

import atexit
import base64
import json
import os
import secrets
import shutil
import tempfile
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any, TypeGuard

import nacl.exceptions
import nacl.hash
import nacl.pwhash
import nacl.secret
from nacl.encoding import RawEncoder

from tuning.core.errors import BadInput, EnvironmentFault, Locked
from tuning.records.files import write_whole
from tuning.records.identity import new_uid
from tuning.scratch import IN_MEMORY, scratch

NAME = "key.json"
SEALING, SEALED = "sealing", "sealed"
"""States of a folder: files are still being sealed, or all are."""
LEAST = 8
"""Shortest passphrase, in characters (practice judgement, editable)."""
MOST_OPS, MOST_MEMORY = 16, 2 << 30
"""What a key file may ask for: a foreign one may not hold the program for hours."""
OPS, MEMORY = 3, 256 << 20
"""Passes and bytes of memory of Argon2id; a file keeps those that it was made with (libsodium's "moderate")."""


class DamagedKey(EnvironmentFault):
    """The key file makes no sense; a backup may hold a copy."""


@dataclass(frozen=True)
class Key:
    """The key of a record; what seals the database and what seals the files are made of it."""

    id: str
    secret: bytes

    @cached_property
    def database(self) -> bytes:
        """The key of the database's pages."""
        return _derived(self.secret, b"database")

    @cached_property
    def files(self) -> bytes:
        """The key of the files."""
        return _derived(self.secret, b"files")

    @cached_property
    def trail(self) -> bytes:
        """The key of the note of where the trail ended."""
        return _derived(self.secret, b"trail")


def _derived(secret: bytes, what: bytes) -> bytes:
    made: bytes = nacl.hash.blake2b(b"", digest_size=32, key=secret, person=what, encoder=RawEncoder)
    return made


_unlocked: dict[str, Key] = {}
"""Keys by id, told in this program."""


def read(folder: Path) -> dict[str, Any] | None:
    """What stands in the key file of a folder; None where there is none. Raises DamagedKey."""
    file = folder / NAME
    try:
        told = json.loads(file.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return None
    except (OSError, ValueError, RecursionError) as err:
        raise DamagedKey(f"{file} cannot be read; without it nobody can open this record.") from err
    if not _is_key(told):
        raise DamagedKey(f"{file} is no key file of Tuning; without it nobody can open this record.")
    return told


def _is_key(told: object) -> TypeGuard[dict[str, Any]]:
    """Whether a document has the form of a key file."""
    return (
        isinstance(told, dict)
        and isinstance(told.get("id"), str)
        and told.get("state") in (SEALING, SEALED)
        and isinstance(told.get("by"), dict)
    )


def of(folder: Path) -> Key | None:
    """The key of a folder, None where it is not protected. Raises Locked while the passphrase is not told."""
    told = read(folder)
    if told is None:
        return None
    if told["id"] not in _unlocked:
        raise Locked(f"The record in {folder} is protected. Type its passphrase or recovery code.", folder)
    return _unlocked[told["id"]]


def is_locked(folder: Path) -> bool:
    """Whether a folder needs a passphrase that nobody has told yet."""
    told = read(folder)
    return told is not None and told["id"] not in _unlocked


def unlock(folder: Path, words: str) -> Key:
    """Open a folder with its passphrase or recovery code. Raises BadInput for others."""
    told = read(folder)
    if told is None:
        raise BadInput(f"The record in {folder} is not protected.")
    for way, text in (("passphrase", words), ("recovery", _code(words))):
        secret = _unwrapped(told["by"], way, text)
        if secret is not None:
            return _known(Key(told["id"], secret))
    raise BadInput("That is neither the passphrase nor the recovery code of this record.")


def _known(key: Key) -> Key:
    """Keep the key for this program, whose temporary files go into memory from now on."""
    _unlocked[key.id] = key
    if IN_MEMORY.is_dir() and not str(tempfile.gettempdir()).startswith(str(IN_MEMORY)):
        tempfile.tempdir = os.environ["TMPDIR"] = tempfile.mkdtemp(prefix=scratch("memory"), dir=IN_MEMORY)
        atexit.register(shutil.rmtree, tempfile.tempdir, ignore_errors=True)
    return key


def forget() -> None:
    """Nobody has told anything."""
    _unlocked.clear()


def make(folder: Path, passphrase: str) -> str:
    """A new key for a folder whose files are not sealed yet; its recovery code, told this once. Raises BadInput."""
    code = _new_code()
    key = Key(new_uid(), secrets.token_bytes(32))
    _write(folder, {"id": key.id, "state": SEALING, "by": _both(key, passphrase, code)})
    _known(key)
    return code


def change(folder: Path, before: str, after: str) -> str:
    """Another passphrase for the same key, and a new recovery code, which is returned. Raises BadInput."""
    key, told = unlock(folder, before), read(folder)
    code = _new_code()
    _write(folder, {**(told or {}), "by": _both(key, after, code)})
    return code


def set_state(folder: Path, state: str) -> None:
    """Say how far the folder is."""
    _write(folder, {**(read(folder) or {}), "state": state})


def _both(key: Key, passphrase: str, code: str) -> dict[str, Any]:
    if len(passphrase.strip()) < LEAST:
        raise BadInput(f"A passphrase has {LEAST} characters at least; several words are easier to keep.")
    return {"passphrase": _wrapped(key.secret, passphrase), "recovery": _wrapped(key.secret, _code(code))}


def _write(folder: Path, told: dict[str, Any]) -> None:
    write_whole(folder / NAME, json.dumps(told, indent=1).encode())


def _new_code() -> str:
    """Eight groups of four letters and digits: 160 bits."""
    letters = base64.b32encode(secrets.token_bytes(20)).decode()
    return " ".join(letters[n : n + 4] for n in range(0, len(letters), 4))


def _code(words: str) -> str:
    """A recovery code however it was typed."""
    return "".join(words.split()).replace("-", "").upper()


def _wrapped(secret: bytes, words: str) -> dict[str, Any]:
    salt = secrets.token_bytes(nacl.pwhash.argon2id.SALTBYTES)
    box = nacl.secret.Aead(_stretched(words, salt, OPS, MEMORY))
    return {
        "kdf": "argon2id",
        "ops": OPS,
        "memory": MEMORY,
        "salt": salt.hex(),
        "box": bytes(box.encrypt(secret)).hex(),
    }


def _unwrapped(ways: dict[str, Any], way: str, words: str) -> bytes | None:
    """The secret, where the words are right. Raises DamagedKey."""
    try:
        told = ways[way]
        salt, box = bytes.fromhex(told["salt"]), bytes.fromhex(told["box"])
        ops, memory = int(told["ops"]), int(told["memory"])
        if ops > MOST_OPS or memory > MOST_MEMORY:
            raise ValueError("a key file that asks for hours")
        key = _stretched(words, salt, ops, memory)
    except (KeyError, TypeError, ValueError, nacl.exceptions.CryptoError) as err:
        raise DamagedKey("The key file is damaged; without it nobody can open this record.") from err
    try:
        return bytes(nacl.secret.Aead(key).decrypt(box))
    except (nacl.exceptions.CryptoError, ValueError):
        return None


def _stretched(words: str, salt: bytes, ops: int, memory: int) -> bytes:
    made: bytes = nacl.pwhash.argon2id.kdf(32, words.encode(), salt, opslimit=ops, memlimit=memory)
    return made


__all__ = ["DamagedKey", "Key", "Locked", "change", "forget", "is_locked", "make", "of", "read", "set_state", "unlock"]
