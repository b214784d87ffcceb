// `npm run service -- install [options of npm start] | remove | status`: Keen Larder as a systemd user unit, which starts with the computer.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { homedir, userInfo } from 'node:os';
import { join } from 'node:path';

const unitName = 'keen-larder.service';
const root = join(import.meta.dirname, '..');
const folder = join(process.env['XDG_CONFIG_HOME'] ?? join(homedir(), '.config'), 'systemd/user');
const unitPath = join(folder, unitName);

/** As systemd.service(5) quotes a word: `%` and `$` begin nothing, quotes and backslashes are themselves. @param {string} word */
const quoted = (word) =>
  `"${word.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('%', '%%').replaceAll('$', '$$$$')}"`;

/** @param {readonly string[]} options of `npm start` */
const unitText = (options) => `[Unit]
Description=Keen Larder: images of phones
After=network.target

[Service]
ExecStart=${[process.execPath, join(root, 'scripts/start.mjs'), ...options].map(quoted).join(' ')}
WorkingDirectory=${root.replaceAll('%', '%%')}
Restart=on-failure
RestartSec=5
TimeoutStopSec=20
# What is written is for this account alone.
UMask=0077
NoNewPrivileges=true

[Install]
WantedBy=default.target
`;

/** @param {readonly string[]} words */
const systemctl = (...words) => spawnSync('systemctl', ['--user', ...words], { encoding: 'utf8' });

/** @param {string} text */
const say = (text) => process.stdout.write(`${text}\n`);

/** @param {string} text @returns {never} */
function fail(text) {
  process.stderr.write(`${text}\n`);
  process.exit(1);
}

/** @param {ReturnType<typeof systemctl>} ended @param {string} what */
function require(ended, what) {
  if (ended.error)
    fail('This computer has no systemd. The guide says how to start Keen Larder with other systems.');
  if (ended.status !== 0) fail(`${what}: ${ended.stderr.trim() || `systemctl ended with ${ended.status}`}`);
}

/** @param {readonly string[]} options */
function install(options) {
  const before = existsSync(unitPath);
  mkdirSync(folder, { recursive: true });
  writeFileSync(unitPath, unitText(options));
  require(systemctl('daemon-reload'), 'The unit was written, but systemd did not read it');
  require(systemctl('enable', unitName), 'The unit was written, but not enabled');
  require(systemctl('restart', unitName), 'The unit is enabled, but did not start');
  say(`${before ? 'Replaced' : 'Installed'} ${unitPath} and started it.`);
  say('It starts when you sign in on this computer.');
  say(`To have it start before that: loginctl enable-linger ${userInfo().username}`);
  say(`The link with its key: journalctl --user -u ${unitName} -g "is ready at"`);
}

function remove() {
  if (!existsSync(unitPath)) fail('It is not installed.');
  require(systemctl('disable', '--now', unitName), 'It was not removed');
  rmSync(unitPath);
  systemctl('daemon-reload');
  say(`Removed ${unitPath}. What is kept stays where it is.`);
}

/** @returns {number} 0 where it runs, 1 where not */
function status() {
  if (!existsSync(unitPath)) {
    say('Not installed.');
    return 1;
  }
  const ended = systemctl('is-active', unitName);
  if (ended.error) fail('This computer has no systemd.');
  const state = ended.stdout.trim() || 'unknown';
  say(state === 'active' ? 'Installed and running.' : `Installed, not running (${state}).`);
  if (state !== 'active') say(`What it said last: journalctl --user -u ${unitName} -n 20`);
  return state === 'active' ? 0 : 1;
}

const [action, ...options] = process.argv.slice(2);
if (action === 'install') install(options);
else if (action === 'remove') remove();
else if (action === 'status') process.exitCode = status();
else fail('Usage: npm run service -- install [options of npm start] | remove | status');
