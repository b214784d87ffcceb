/**
 * Begins the programs of a worker of tests, told through two pipes: a request and its answer are a length, a head of JSON of that
 * length, and the bytes that the head tells of. It ends with the worker, whose end of the pipe it reads.
 */
import { spawnSync } from 'node:child_process';
import { openSync, readSync, writeSync } from 'node:fs';

const [requests, answers] = process.argv.slice(2);
const from = openSync(requests, 'r');
const to = openSync(answers, 'w');

function read(bytes) {
  const all = Buffer.allocUnsafeSlow(bytes);
  for (let had = 0; had < bytes;) {
    const more = readSync(from, all, had, bytes - had, null);
    if (more === 0) process.exit(0);
    had += more;
  }
  return all;
}

function write(bytes) {
  for (let done = 0; done < bytes.length;) done += writeSync(to, bytes, done);
}

for (;;) {
  const head = JSON.parse(read(read(4).readUInt32LE()).toString());
  const input = head.inputBytes === undefined ? undefined : read(head.inputBytes);
  process.umask(head.umask);
  const { pid, status, signal, stdout, stderr, error } = spawnSync(head.command, head.args, {
    ...head.options,
    input,
  });
  const fault = error && { ...error, message: error.message };
  const told = { pid, status, signal, fault, outBytes: stdout?.length, errBytes: stderr?.length };
  const line = Buffer.from(JSON.stringify(told));
  const length = Buffer.alloc(4);
  length.writeUInt32LE(line.length);
  write(Buffer.concat([length, line]));
  if (stdout) write(stdout);
  if (stderr) write(stderr);
}
