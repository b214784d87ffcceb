#!/usr/bin/env python3
"""Recovers sets from the objects of a bucket, with docs/shelf-format.md, a passphrase and nothing of the program.

recover.py FOLDER PASSPHRASE OUT: FOLDER has the bucket's objects as files; each image is written as OUT/LABEL/PARTITION.
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


def chunks_of(pack):
    end = len(pack) - 56
    at = 0
    while at < end:
        magic, codec, stored, plain = struct.unpack("<4sB3xII", pack[at : at + 16])
        assert magic == b"KLck"
        name = pack[at + 16 : at + 48]
        body = pack[at + 48 : at + 48 + stored]
        if codec == 1:
            body = subprocess.run(["zstd", "-dc"], input=body, stdout=subprocess.PIPE, check=True).stdout
        assert len(body) == plain
        yield name.hex(), body
        at += 48 + stored


try:
    master = master_key()
except InvalidTag:
    sys.exit("the passphrase does not open it")
chunks = {}
for name in names("packs"):
    chunks.update(chunks_of(opened(name, master)))
for name in names("benches"):
    if "/kept/sets/" not in name:
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
