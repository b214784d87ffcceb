import type {
  ExportRequest,
  FolderRequest,
  InsideRequest,
} from '@keen-larder/contract/requests/larder/sets.ts';

const at = encodeURIComponent;

/** Which copies of apps and of records go into one archive. */
export const carriedQuery = (apps: readonly string[], records: readonly string[]): string =>
  `copies=${apps.map(at).join(',')}${records.length > 0 ? `&records=${records.map(at).join(',')}` : ''}`;

export const queryOf = ({ path, part, from, named }: FolderRequest) =>
  new URLSearchParams({ path, ...(part && { part }), ...(from && { from }), ...(named && { named }) });

/** Addresses that files are sent to. */
export const uploads = {
  file: (copy: string, path: string) => `/api/copies/${at(copy)}/files?${new URLSearchParams({ path })}`,
};

/** Addresses of downloads. */
export const pictures = {
  /** @param path of its base program on the phone */
  app: (serial: string, path: string) =>
    `/api/phones/${at(serial)}/apps/icon?${new URLSearchParams({ path })}`,
};

export const downloads = {
  shopRecord: '/api/record/export',
  comparison: (id: string, other: string) => `/api/sets/${at(id)}/compared-with/${at(other)}`,
  jobReport: (id: string, paper: 'a4' | 'letter') => `/api/jobs/${at(id)}/report.pdf?paper=${paper}`,
  /** Of what a browser shows. */
  jobPicture: (id: string, file: string) => `/api/jobs/${at(id)}/pictures/${at(file)}`,
  jobFile: (id: string, file: string) => `/api/jobs/${at(id)}/files/${at(file)}`,
  jobPage: (id: string) => `/api/jobs/${at(id)}/report.html`,
  proofPdf: (id: string, paper: 'a4' | 'letter') => `/api/runs/${at(id)}/proof.pdf?paper=${paper}`,
  /** A copy of an app, as one archive. */
  copy: (id: string) => `/api/app-copies/${at(id)}/export`,
  /** An archive of some copies that a recovery installs. */
  platformBackup: (ids: readonly string[]) => `/api/platform-backup?copies=${ids.map(at).join(',')}`,
  carryAlong: (apps: readonly string[], records: readonly string[]) =>
    `/api/carry-along/archive?${carriedQuery(apps, records)}`,
  /** One file of a copy of records. */
  record: (id: string, name: string) =>
    `/api/record-copies/${at(id)}/parts/${name.split('/').map(at).join('/')}`,
  /** One archive of the set, whatever the form of its images. */
  set: (id: string, { form, packing, splitMebibytes, picked }: ExportRequest) => {
    const query = new URLSearchParams({ form, packing });
    if (splitMebibytes) query.set('splitMebibytes', String(splitMebibytes));
    if (picked) query.set('picked', picked.join(','));
    return `/api/sets/${at(id)}/export?${query}`;
  },
  sealedSet: (id: string, ticket: string) => `/api/sets/${at(id)}/sealed-downloads/${at(ticket)}`,
  file: (id: string, partition: string, place: InsideRequest) =>
    `/api/sets/${at(id)}/images/${at(partition)}/file?${queryOf(place)}`,
  proof: (id: string) => `/api/runs/${at(id)}/proof.html`,
  raw: (id: string, partition: string) => `/api/sets/${at(id)}/images/${at(partition)}/raw`,
};
