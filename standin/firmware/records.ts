import Database from 'better-sqlite3';
import { deflateSync } from 'node:zlib';
import type { Item, RecordDatabase } from './item.ts';

const schemaVersions: Readonly<Record<RecordDatabase, (sdk: number) => number>> = {
  contacts: (sdk) => 900 + sdk * 12,
  calls: () => 7,
  messages: (sdk) => 40 + sdk,
  calendar: (sdk) => 580 + sdk,
  words: () => 1,
  accounts: (sdk) => (sdk < 30 ? 10 : 11),
  home: () => 28,
  keys: () => 3,
};

const hides = [
  'North hide',
  'Ringing hut',
  'Boat shed',
  'East wall',
  'Visitor desk',
  'Sluice',
  'Ferry steps',
];
/** From a range that no phone has (Ofcom, numbers for drama). */
const numberOf = (i: number) => `+44 1632 960${String(100 + i).padStart(3, '0')}`;
const day = 86_400_000;
const firstDay = Date.UTC(2026, 1, 2, 8);

type Fill = (db: Database.Database, seed: number) => void;

const fills: Readonly<Record<RecordDatabase, Fill>> = {
  contacts(db, seed) {
    db.exec(`
      CREATE TABLE mimetypes (_id INTEGER PRIMARY KEY, mimetype TEXT NOT NULL);
      CREATE TABLE raw_contacts (_id INTEGER PRIMARY KEY, contact_id INTEGER, display_name TEXT, deleted INTEGER NOT NULL DEFAULT 0);
      CREATE TABLE data (_id INTEGER PRIMARY KEY, mimetype_id INTEGER NOT NULL, raw_contact_id INTEGER NOT NULL,
        data1 TEXT, data2 TEXT, data3 TEXT, data4 TEXT, data5 TEXT, data6 TEXT, data7 TEXT);`);
    const types = ['name', 'phone_v2', 'email_v2', 'organization', 'note'];
    types.forEach((type, i) =>
      db.prepare('INSERT INTO mimetypes VALUES (?, ?)').run(i + 1, `vnd.android.cursor.item/${type}`),
    );
    const put = db.prepare(
      'INSERT INTO data (mimetype_id, raw_contact_id, data1, data2, data3, data4, data5) VALUES (?, ?, ?, ?, ?, ?, ?)',
    );
    hides.forEach((hide, i) => {
      db.prepare('INSERT INTO raw_contacts VALUES (?, ?, ?, 0)').run(i + 1, i + 1, hide);
      const [given, family] = hide.split(' ');
      put.run(1, i + 1, hide, given, family ?? '', '', '');
      put.run(2, i + 1, numberOf(i + (seed % 39)), '2', null, null, null);
      put.run(3, i + 1, `${hide.toLowerCase().replace(' ', '.')}@saltmere.example`, '2', null, null, null);
      if (i % 2 === 0) put.run(4, i + 1, 'Saltmere Bird Observatory', '1', null, null, null);
    });
    put.run(5, 2, 'Rings, pliers; the long ladder', null, null, null, null);
    db.prepare('INSERT INTO raw_contacts VALUES (99, 99, ?, 1)').run('Old hide');
  },
  calls(db, seed) {
    db.exec(
      'CREATE TABLE calls (_id INTEGER PRIMARY KEY, number TEXT, date INTEGER, duration INTEGER, type INTEGER, name TEXT)',
    );
    for (let i = 0; i < 24 + (seed % 5); i++) {
      db.prepare('INSERT INTO calls VALUES (?, ?, ?, ?, ?, ?)').run(
        i + 1,
        numberOf(i % 7),
        firstDay + i * day,
        (i * 37) % 400,
        (i % 3) + 1,
        hides[i % 7],
      );
    }
  },
  messages(db, seed) {
    db.exec(
      'CREATE TABLE sms (_id INTEGER PRIMARY KEY, thread_id INTEGER, address TEXT, date INTEGER, date_sent INTEGER, read INTEGER, type INTEGER, body TEXT)',
    );
    for (let i = 0; i < 40 + (seed % 7); i++) {
      db.prepare('INSERT INTO sms VALUES (?, ?, ?, ?, ?, 1, ?, ?)').run(
        i + 1,
        (i % 7) + 1,
        numberOf(i % 7),
        firstDay + i * day,
        firstDay + i * day - 4000,
        (i % 2) + 1,
        `${hides[i % 7]}: ${3 + (i % 9)} dunlin on the mud at high water.`,
      );
    }
  },
  calendar(db, seed) {
    db.exec(`
      CREATE TABLE Calendars (_id INTEGER PRIMARY KEY, calendar_displayName TEXT);
      INSERT INTO Calendars VALUES (1, 'Saltmere');
      CREATE TABLE Events (_id INTEGER PRIMARY KEY, calendar_id INTEGER NOT NULL, title TEXT, eventLocation TEXT,
        description TEXT, dtstart INTEGER, dtend INTEGER, duration TEXT, allDay INTEGER NOT NULL DEFAULT 0,
        eventTimezone TEXT, rrule TEXT, deleted INTEGER NOT NULL DEFAULT 0);`);
    const put = db.prepare(
      'INSERT INTO Events (calendar_id, title, eventLocation, description, dtstart, dtend, duration, allDay, eventTimezone, rrule, deleted) VALUES (1, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
    );
    for (let i = 0; i < 9 + (seed % 3); i++) {
      put.run(
        `Watch ${i + 1}`,
        hides[i % 7],
        'Bring rings, pliers; and tea',
        firstDay + i * 3 * day,
        firstDay + i * 3 * day + 7_200_000,
        null,
        0,
        'Europe/London',
        null,
        0,
      );
    }
    put.run(
      'Weekly count',
      'Sluice',
      null,
      firstDay,
      null,
      'PT5400S',
      0,
      'Europe/London',
      'FREQ=WEEKLY;BYDAY=SU',
      0,
    );
    put.run(
      'Hides closed',
      null,
      null,
      Date.UTC(2026, 11, 25),
      Date.UTC(2026, 11, 26),
      null,
      1,
      'UTC',
      null,
      0,
    );
    put.run('Cancelled watch', null, null, firstDay, firstDay + 1, null, 0, 'UTC', null, 1);
  },
  words(db) {
    db.exec(
      'CREATE TABLE words (_id INTEGER PRIMARY KEY, word TEXT, frequency INTEGER, locale TEXT, appid INTEGER, shortcut TEXT)',
    );
    ['dunlin', 'greenshank', 'Saltmere', 'turnstone', 'whimbrel'].forEach((word, i) =>
      db.prepare('INSERT INTO words VALUES (?, ?, 250, ?, 0, NULL)').run(i + 1, word, 'en_GB'),
    );
  },
  accounts(db) {
    db.exec(`
      CREATE TABLE accounts (_id INTEGER PRIMARY KEY, name TEXT NOT NULL, type TEXT NOT NULL, password TEXT);
      CREATE TABLE authtokens (_id INTEGER PRIMARY KEY, accounts_id INTEGER NOT NULL, type TEXT NOT NULL, authtoken TEXT);
      INSERT INTO accounts VALUES (1, 'north.hide@saltmere.example', 'example.saltmere', 'not-a-real-secret');
      INSERT INTO authtokens VALUES (1, 1, 'sync', 'not-a-real-token');`);
  },
  keys(db, uid) {
    db.exec(
      'CREATE TABLE keyentry (id INTEGER UNIQUE, key_type INTEGER, domain INTEGER, namespace INTEGER, alias BLOB, state INTEGER, km_uuid BLOB)',
    );
    db.prepare("INSERT INTO keyentry VALUES (1, 0, 0, ?, 'account', 1, NULL)").run(uid);
  },
  home(db) {
    db.exec(
      'CREATE TABLE favorites (_id INTEGER PRIMARY KEY, title TEXT, intent TEXT, container INTEGER, screen INTEGER, cellX INTEGER, cellY INTEGER, spanX INTEGER, spanY INTEGER, itemType INTEGER, appWidgetProvider TEXT)',
    );
    ['Tidebook', 'Marshlog', 'Ferry Times'].forEach((title, i) =>
      db
        .prepare('INSERT INTO favorites VALUES (?, ?, ?, -100, 0, ?, 0, 1, 1, 0, NULL)')
        .run(i + 1, title, `#Intent;package=example.${title.toLowerCase().replace(' ', '')};end`, i),
    );
    db.prepare(
      "INSERT INTO favorites VALUES (9, NULL, NULL, -100, 0, 0, 2, 4, 2, 4, 'example.ferrytimes/.Board')",
    ).run();
  },
};

/** The same bytes for the same arguments. */
export function recordDatabase(of: RecordDatabase, seed: number, sdk: number): Buffer {
  const db = new Database(':memory:');
  try {
    db.pragma('page_size = 4096');
    db.exec("CREATE TABLE android_metadata (locale TEXT); INSERT INTO android_metadata VALUES ('en_GB')");
    fills[of](db, seed);
    db.pragma(`user_version = ${schemaVersions[of](sdk)}`);
    return db.serialize();
  } finally {
    db.close();
  }
}

const wifiXml = (sdk: number) =>
  [
    "<?xml version='1.0' encoding='utf-8' standalone='yes' ?>",
    '<WifiConfigStoreData>',
    `<int name="Version" value="${sdk < 30 ? 1 : 3}" />`,
    '<NetworkList>',
    ...[
      ['Saltmere-Hides', 'not-a-real-passphrase'],
      ['Saltmere-Workshop', 'nor-is-this-one'],
      ['Ferry-Guests', undefined],
    ].flatMap(([ssid, key]) => [
      '<Network>',
      '<WifiConfiguration>',
      `<string name="ConfigKey">&quot;${ssid}&quot;${key ? 'WPA_PSK' : 'NONE'}</string>`,
      `<string name="SSID">&quot;${ssid}&quot;</string>`,
      key ? `<string name="PreSharedKey">&quot;${key}&quot;</string>` : '<null name="PreSharedKey" />',
      '<boolean name="HiddenSSID" value="false" />',
      '</WifiConfiguration>',
      '</Network>',
    ]),
    '</NetworkList>',
    '</WifiConfigStoreData>',
    '',
  ].join('\n');

const bluetooth = [
  '[Info]',
  'FileSource = Empty',
  '',
  '[Adapter]',
  'Address = 02:00:5e:10:04:18',
  '',
  '[02:00:5e:10:77:01]',
  'Name = Hide loudspeaker',
  'DevClass = 2360324',
  'LinkKey = 00112233445566778899aabbccddeeff',
  '',
  '[02:00:5e:10:77:02]',
  'Name = Ringing pliers scale',
  'LinkKey = ffeeddccbbaa99887766554433221100',
  '',
].join('\n');

/** A square of dusk, as a PNG of one row after the other (W3C, PNG specification, chunks made by hand elsewhere). */
const wallpaper = (seed: number) => deflateSync(Buffer.alloc(48_000, seed & 0xff)).toString('base64');

/** "ANET", a version, and counters that nothing here reads. */
const netstats = (seed: number) => `ANET${'\u0000'.repeat(3)}\u0001${String(seed).repeat(200)}`;

const phoneId = [1001, 1001] as const;
const sharedId = [10_003, 10_003] as const;
const systemId = [1000, 1000] as const;
const providerLabel = 'u:object_r:privapp_data_file:s0:c512,c768';

/** Folders of a content provider's own. */
const providerFolders = (name: string, owner: readonly [number, number]): Item[] =>
  ['', '/databases'].map((within) => ({
    path: `/data/com.android.providers.${name}${within}`,
    directory: true,
    mode: within === '' ? 0o700 : 0o771,
    owner,
    label: providerLabel,
  }));

/** What providers have on a phone as new: their folders, by ids that its first start gave. Databases come with what is in them. */
export const emptyProviders: readonly Item[] = [
  ...providerFolders('contacts', [10_005, 10_005]),
  ...providerFolders('telephony', phoneId),
  ...providerFolders('calendar', [10_006, 10_006]),
  ...providerFolders('userdictionary', [10_005, 10_005]),
];

/** Personal records of a phone in use, where its Android version keeps them. */
export function recordItems(seed: number, sdk: number, widgetsOf: string): Item[] {
  const provider = (
    name: string,
    file: string,
    of: RecordDatabase,
    owner: readonly [number, number],
  ): Item[] => [
    ...providerFolders(name, owner),
    {
      path: `/data/com.android.providers.${name}/databases/${file}`,
      records: { of, seed, sdk },
      mode: 0o660,
      owner,
      label: providerLabel,
    },
  ];
  const calls: Item = {
    path: '/data/com.android.providers.contacts/databases/calllog.db',
    records: { of: 'calls', seed, sdk },
    mode: 0o660,
    owner: sharedId,
    label: providerLabel,
  };
  return [
    {
      path:
        sdk >= 30 ? '/misc/apexdata/com.android.wifi/WifiConfigStore.xml' : '/misc/wifi/WifiConfigStore.xml',
      text: wifiXml(sdk),
      mode: 0o600,
      owner: sdk >= 30 ? systemId : [1010, 1010],
      label: 'u:object_r:wifi_data_file:s0',
    },
    {
      path: '/misc/bluedroid/bt_config.conf',
      text: bluetooth,
      mode: 0o660,
      owner: [1002, 1002],
      label: 'u:object_r:bluetooth_data_file:s0',
    },
    {
      path: '/system_ce/0/accounts_ce.db',
      records: { of: 'accounts', seed, sdk },
      mode: 0o600,
      owner: systemId,
      label: 'u:object_r:accounts_data_file:s0',
    },
    ...provider('contacts', 'contacts2.db', 'contacts', sharedId),
    calls,
    ...provider('telephony', 'mmssms.db', 'messages', phoneId),
    ...provider('calendar', 'calendar.db', 'calendar', [10_004, 10_004]),
    ...provider('userdictionary', 'user_dict.db', 'words', sharedId),
    {
      path: '/data/example.tide.home/databases/launcher.db',
      records: { of: 'home', seed, sdk },
      mode: 0o660,
      owner: [10_012, 10_012],
      label: providerLabel,
    },
    {
      path: '/system/users/0/appwidgets.xml',
      text: '<?xml version=\'1.0\' encoding=\'utf-8\' standalone=\'yes\' ?>\n<gs version="1">\n<h pkg="example.tide.home" id="400" tag="0" />\n<p pkg="example.ferrytimes" cl=".Board" tag="0" />\n<p pkg="WIDGETS" cl=".Widget" tag="1" />\n<g id="1" h="0" p="0" />\n<g id="2" h="0" p="1" />\n<g id="3" h="0" p="1" />\n</gs>\n'.replace(
        'WIDGETS',
        widgetsOf,
      ),
      mode: 0o600,
      owner: systemId,
    },
    {
      path: '/system/users/0/wallpaper',
      text: wallpaper(seed),
      mode: 0o600,
      owner: systemId,
      label: 'u:object_r:wallpaper_file:s0',
    },
    {
      path: '/system/users/0/wallpaper_info.xml',
      text: '<?xml version=\'1.0\' encoding=\'utf-8\' standalone=\'yes\' ?>\n<wp width="1080" height="1920" name="dusk" />\n',
      mode: 0o600,
      owner: systemId,
    },
    {
      path: '/media/0/Ringtones/curlew.ogg',
      filler: { kind: 'program', seed: seed + 11, bytes: 61_000 },
      mode: 0o664,
      owner: [1023, 1023],
    },
    { path: '/system/netstats/xt.1767600000000-', text: netstats(seed), mode: 0o600, owner: systemId },
  ];
}
