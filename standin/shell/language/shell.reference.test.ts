// The phone's shell held against mksh, the shell that Android has, with Debian's tools: what both print, and how both end.
import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { formatDevice } from '../../flash/file-tree.ts';
import type { Device } from '../../flash/flash.ts';
import type { ShellHost } from '../host.ts';
import { runScript } from './run.ts';

const folder = testFolder();
afterAll(() => folder.remove());

/** A device in memory. */
function device(bytes: number): Device {
  const held = Buffer.alloc(bytes);
  return {
    bytes,
    read: (offset, length) => Promise.resolve(Uint8Array.from(held.subarray(offset, offset + length))),
    write: (offset, part) => {
      held.set(part, offset);
      return Promise.resolve();
    },
  };
}

let host: ShellHost;
beforeAll(async () => {
  const source = device(32 << 20);
  await formatDevice(source);
  host = {
    ...{ mode: 'recovery', properties: { 'ro.test': 'yes' }, rootDaemon: true, hasSu: false, disk: 'sda' },
    flash: { faults: { isFull: false, names: [] }, list: () => [], partition: () => undefined } as never,
    mounts: [{ device: '/dev/block/sda1', at: '/data', writable: true, source }],
    ...{ handed: new Map(), startedAt: 0, imei: undefined },
    isAgreedTo: () => Promise.resolve(false),
    battery: () => ({ percent: 50, charging: false }),
    reboot: () => undefined,
  };
});

let count = 0;

/** What a script prints and how it ends, in a folder of its own: of mksh, and of the phone's shell. */
async function both(script: string, input = ''): Promise<{ wanted: string; had: string }> {
  const name = `case-${++count}`;
  const cwd = join(folder.path, name);
  mkdirSync(cwd);
  const { stdout, status } = spawnSync('mksh', ['-c', script, 'name', 'one', 'two words'], {
    ...{ cwd, input, encoding: 'utf8', env: { ...process.env, LC_ALL: 'C' } },
  });
  const wanted = `${stdout}ended with ${status}`;
  let had = '';
  const say = (text: string) => Promise.resolve(void (had += text));
  await runScript(
    `mkdir -p /data/${name}`,
    host,
    { stdin: (async function* () {})(), out: () => say(''), err: say },
    0,
  );
  const code = await runScript(
    script,
    host,
    {
      stdin: (async function* () {
        yield await Promise.resolve(Buffer.from(input));
      })(),
      out: (bytes) => say(Buffer.from(bytes).toString()),
      err: () => Promise.resolve(),
    },
    0,
    { cwd: `/data/${name}`, name: 'name', words: ['one', 'two words'] },
  );
  return { wanted, had: `${had}ended with ${code}` };
}

const scripts: Readonly<Record<string, string>> = {
  'words and quotes': `echo a 'b  c' "d\\"e" f\\ g "" h`,
  lists: 'true && echo yes || echo no; false && echo yes || echo no; ! false && echo not',
  variables: 'x="a  b"; y=$x; echo $y "$y" "${y}c" ${y}c; z=; echo "[$z]" [$z] $none end',
  defaults: 'x=; echo "${x:-a b}" ${x-none} ${y-none} ${y:=set} $y ${x:+is} ${y:+is} ${#y}',
  'parts taken off':
    'p=/data/app/base.apk.bak; echo ${p##*/} ${p#*/} ${p%.*} ${p%%.*} "${p%/*}" ${p%nothing}',
  'quoted patterns': `p='a*b*c'; q='*'; echo "\${p%"$q"c}" "\${p%$q}" "\${p#a'*'}"`,
  positional:
    'echo $# "$1" $2 "$@"; for x in "$@"; do echo "<$x>"; done; for x; do echo "($x)"; done; shift; echo "$*"',
  set: 'set -- "$@" a b; echo $# "$3"; set --; echo "$#" "$@" end',
  arithmetic:
    'a=4; echo $((a + 3 * 2)) $(($a - 10)) $((7 / 2)) $((7 % 4)) $((a > 3)) $(( (a + 1) * 2 )) $((1 == 2))',
  'command substitution': 'x=$(echo a; echo b; echo); echo "$x" $x; echo "$(false)$?"; y=$(exit 3); echo $?',
  'if and elif':
    'for n in 1 2 3; do if [ $n -eq 1 ]; then echo one; elif [ $n = 2 ]; then echo two; else echo more; fi; done',
  case: 'for w in a ab "a b" .x 7 "*" -; do case $w in a) echo 1;; a*) echo 2;; .*) echo 3;; [0-9] | -) echo 4;; "*") echo 5;; esac; done',
  'case with a class':
    'for w in 12 1x "" x; do case $w in "" | *[!0-9]*) echo no;; *) echo number;; esac; done',
  'loops left and gone on with':
    'for a in 1 2 3; do for b in 1 2 3; do [ $b = 2 ] && continue 2; [ $a = 3 ] && break 2; echo $a$b; done; done; n=0; while true; do n=$((n + 1)); [ $n -ge 3 ] && break; done; echo $n; until [ $n -eq 0 ]; do n=$((n - 1)); done; echo $n',
  functions:
    'f() { echo "$# $1"; return 4; }; f "x y" z; echo $? $1; g() { [ "$1" = 0 ] && return; echo $1; g $(($1 - 1)); }; g 3; h() (x=2; exit 5); x=1; h; echo $? $x',
  subshells:
    'x=1; (x=2; cd /; echo $x); echo $x; { x=3; }; echo $x; (exit 6); echo $?; echo a | { read y; echo "got $y"; }',
  'here documents': `x=5; cat <<'END'\n$x \`a\`\nEND\ncat <<END\n$x and $(echo y)\nEND`,
  'reading lines':
    'printed() { while read -r a b c; do echo "$a|$b|$c"; done; }; printed <<END\none two  three four \n  x\n\\\\n y\nEND',
  descriptors:
    'f() { echo out; echo err >&2; }; f 2>/dev/null; f 2>&1 >/dev/null | cat; f >/dev/null 2>&1; x=1; echo a >&"$x"; { echo b; echo c; } | sed -n "s/^c$/d/p"',
  files:
    'echo a >x; echo b >>x; cat x; cat <x | wc -l | sed "s/ //g"; mkdir d; echo c >d/y; ls d; [ -d d ] && [ -f x ] && [ ! -e z ] && [ -s x ] && echo there; : >x; [ -s x ] || echo empty',
  'names by patterns':
    'mkdir a .b; : >a/1.apk; : >a/2.apk; : >a/.3; : >c; echo *; echo a/*.apk; echo */*; echo .[!.]*; echo "*" none*; for f in a/* a/.[!.]*; do echo ${f##*/}; done; x="a/*"; echo $x "$x"',
  'moved and removed':
    'mkdir a b; echo 1 >a/x; mv a/x b/; ls b; mv b c; ls c; rm -rf a c; ls; mkdir a/b/c; echo $?; mkdir -p a/b/c && echo made; rm a; echo $?; rm -f none; echo $?; rm none; echo $?',
  found:
    'mkdir -p a/b; echo x >a/1; echo y >"a/b/2 3"; find a -type f | sort; find a -type f -exec sha256sum {} + | sort; find a -type d -exec echo {} +; (cd a && find . -type f -exec cat {} + | sort)',
  tests:
    '[ a = a ]; echo $?; [ a != a ]; echo $?; [ "" ]; echo $?; [ -n "" ]; echo $?; [ -z "" ]; echo $?; [ 3 -lt 12 ]; echo $?; [ ! 1 -gt 2 ]; echo $?; [ 1 = 1 -o ] 2>/dev/null; echo $?',
  'text tools': `printed() { echo "b c d"; echo a; echo B; }; printed | sort; printed | cut -d ' ' -f 2; printed | head -n 1; printed | tail -n 1; printed | grep -qxF -- a; echo $?; printed | grep -qxF -- "b c"; echo $?; echo "created [123]." | sed -n 's/.*\\[\\([0-9]*\\)\\].*/\\1/p'; printed | grep -v a; echo abc | wc -c | sed 's/ *//'`,
  'not found':
    'nothing 2>/dev/null; echo $?; type nothing >/dev/null 2>&1; echo $?; type cat >/dev/null; echo $?; false; echo $?',
  leaving: 'f() { exit 7; }; echo a; f; echo b',
  'prefix of a command': 'x=1; x=2 true; echo $x; LC_ALL=C sort <<END\nb\na\nEND',
};

describe('the phone’s shell', () => {
  it.each(Object.keys(scripts))('%s: as mksh', async (name) => {
    const { wanted, had } = await both(scripts[name]!);
    expect(had).toBe(wanted);
  });

  it('takes lines from what comes in, and leaves the rest', async () => {
    const { wanted, had } = await both('read a; read b; echo "$a,$b"; cat', 'one\ntwo\nthree\nfour');
    expect(had).toBe(wanted);
  });

  it.each(["a 'b", 'if true; then', 'echo $(', '(a', 'sleep 1 &', 'x=(1 2)', 'cat <<<word', 'echo ${x/a/b}'])(
    'refuses what it does not have: %s',
    async (script) => {
      const { had } = await both(`{ ${script}\n}`);
      expect(had).toMatch(/ended with 1$/);
    },
  );
});
