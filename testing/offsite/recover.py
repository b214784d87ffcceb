#!/usr/bin/env python3
"""Recovers sets with docs/shelf-format.md, a passphrase and nothing of the program.

recover.py FOLDER PASSPHRASE OUT: FOLDER has the objects of a bucket as files, or is a sealed shelf; each image is written as
OUT/LABEL/PARTITION.
"""
import base64
import hashlib
import json
import os
import struct
import subprocess
import sys
import unicodedata

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

folder, passphrase, out = sys.argv[1:4]


def read(name):
    with open(os.path.join(folder, name), "rb") as file:
        return file.read()


def names(prefix):
    found = []
    for path, _, files in os.walk(os.path.join(folder, prefix)):
        found += [os.path.relpath(os.path.join(path, each), folder) for each in files]
    return sorted(found)


def master_key():
    seal = json.loads(read("seal.json"))
    assert seal["format"] == "keen-larder-seal" and seal["version"] == 1
    lock = next(each for each in seal["locks"] if each["by"] == "passphrase")
    cost = lock["cost"]
    key = hashlib.scrypt(
        unicodedata.normalize("NFC", passphrase).encode(),
        salt=base64.b64decode(lock["salt"]),
        n=cost["N"],
        r=cost["r"],
        p=cost["p"],
        maxmem=1 << 30,
        dklen=32,
    )
    bound = f"keen-larder-seal {seal['id']} passphrase".encode()
    return AESGCM(key).decrypt(base64.b64decode(lock["nonce"]), base64.b64decode(lock["closed"]), bound)


def opened(name, master):
    sealed = read(name)
    name = name.removesuffix(".json")
    head = sealed[:48]
    magic, version, segment_bytes = struct.unpack("<8sII", head[:16])
    assert magic == b"KLclosed" and version == 1
    key = HKDF(hashes.SHA256(), 32, salt=head[16:48], info=b"keen-larder object").derive(master)
    plain, at, index = b"", 48, 0
    while True:
        segment = sealed[at : at + segment_bytes + 16]
        at += len(segment)
        is_last = at >= len(sealed)
        nonce = bytes([1 if is_last else 0, 0, 0, 0]) + struct.pack(">Q", index)
        plain += AESGCM(key).decrypt(nonce, segment, head + name.encode())
        index += 1
        if is_last:
            return plain


def records_of(pack, master):
    """Each record of a pack: its header, and what follows it."""
    at, end = 0, len(pack) - 56
    while at < end:
        if pack[at : at + 4] == b"KLsr":
            (closed,) = struct.unpack("<I", pack[at + 4 : at + 8])
            head = pack[at : at + 40]
            key = HKDF(hashes.SHA256(), 32, salt=head[8:], info=b"keen-larder record").derive(master)
            yield AESGCM(key).decrypt(bytes(12), pack[at + 40 : at + 40 + closed], head)
            at += 40 + closed
        else:
            (stored,) = struct.unpack("<I", pack[at + 8 : at + 12])
            yield pack[at : at + 48 + stored]
            at += 48 + stored


def chunks_of(pack, master):
    for record in records_of(pack, master):
        magic, codec, stored, plain = struct.unpack("<4sB3xII", record[:16])
        assert magic == b"KLck"
        name = record[16:48]
        body = record[48:]
        assert len(body) == stored
        if codec == 1:
            body = subprocess.run(["zstd", "-dc"], input=body, stdout=subprocess.PIPE, check=True).stdout
        assert len(body) == plain
        yield name.hex(), body


try:
    master = master_key()
except InvalidTag:
    sys.exit("the passphrase does not open it")
is_shelf = os.path.exists(os.path.join(folder, "shelf.json"))
chunks = {}
for name in names("packs"):
    chunks.update(chunks_of(read(name) if is_shelf else opened(name, master), master))
for name in names("manifests") if is_shelf else names("benches"):
    if not is_shelf and "/kept/sets/" not in name:
        continue
    manifest = json.loads(opened(name, master))
    target = os.path.join(out, manifest["label"])
    os.makedirs(target)
    for image in manifest["images"]:
        path = os.path.join(target, image["partition"])
        digest, left = hashlib.sha256(), image["bytes"]
        with open(path, "wb") as file:
            for each in image["chunks"]:
                bytes_of = bytes(min(left, image["chunkBytes"])) if each == "0" else chunks[each]
                left -= len(bytes_of)
                digest.update(bytes_of)
                file.write(bytes_of)
        assert digest.hexdigest() == image["sha256"], path
