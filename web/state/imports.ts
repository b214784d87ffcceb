import { defineStore } from 'pinia';
import { computed, reactive, ref } from 'vue';
import type { ImportsView, ImportView } from '@keen-larder/contract/imports.ts';
import { isOwnerOfFirmware, isSameModel } from '@keen-larder/core/larder/firmware.ts';
import { partitionFor, type PlannedImport } from '@keen-larder/core/larder/import-plan.ts';
import { api } from '../api/client.ts';
import { uploads } from '../api/addresses.ts';
import { copyFile, type FileToCopy } from '../uploads/upload.ts';
import { useBench } from './bench.ts';

/** A copy into the larder under way. */
export interface Copy {
  readonly key: number;
  readonly name: string;
  readonly bytes: number;
  doneBytes: number;
  error: string | undefined;
  readonly cancel: () => void;
}

/** The phone that files are said to be of. */
export interface OfPhone {
  serial: string;
  maker: string;
  model: string;
  nickname: string;
}

/** As it is told to the larder; undefined while something is missing. */
export const phoneIn = ({ maker, model, nickname }: OfPhone) =>
  maker && model ? { maker, model, nickname: nickname || model } : undefined;

/** Which copies of apps are to be made of files that came. */
export interface CopiesDraft extends OfPhone {
  /** Paths of their first files. */
  picked: string[];
  /** By path, the app of an archive that does not tell it. */
  packages: Record<string, string>;
  confirmed: string[];
}

/** What is to be made of files that came. */
export interface ImportDraft extends OfPhone {
  /** Paths of the files to take in. */
  picked: string[];
  /** By path, where it is another than the one found. */
  partitions: Record<string, string>;
  label: string;
  /** They are of a model, not of one phone. */
  isFirmware: boolean;
  confirmed: string[];
}

/** Files that can be imported, copies under way, and what is to be made of each. */
export const useImports = defineStore('imports', () => {
  const bench = useBench();
  const view = ref<ImportsView>();
  const copies = ref<Copy[]>([]);
  const drafts = ref<Record<string, ImportDraft>>({});
  const copiesDrafts = ref<Record<string, CopiesDraft>>({});
  /** Where files hold both, what is done first. */
  const doing = ref<Record<string, 'images' | 'copies'>>({});
  /** Partitions of phones, by serial, as far as they were asked for. */
  const known = reactive<Record<string, readonly string[]>>({});
  let asked = 0;
  let keys = 0;

  const all = computed(() => view.value?.imports ?? []);
  const byId = (id: string): ImportView | undefined => all.value.find((each) => each.id === id);

  async function load(): Promise<void> {
    const mine = ++asked;
    const found = await api.imports();
    if (mine !== asked) return;
    view.value = found;
    const ready = new Set(found.imports.filter(({ state }) => state === 'ready').map(({ id }) => id));
    drafts.value = Object.fromEntries(Object.entries(drafts.value).filter(([id]) => ready.has(id)));
    copiesDrafts.value = Object.fromEntries(
      Object.entries(copiesDrafts.value).filter(([id]) => ready.has(id)),
    );
  }

  /** What to make of an import: at first what was found. */
  function draft(found: ImportView): ImportDraft {
    drafts.value[found.id] ??= {
      picked: found.images.flatMap(({ paths, partition }) => (partition ? [paths[0]!] : [])),
      partitions: {},
      label: found.suggested?.label ?? `Imported · ${found.id}`.slice(0, 120),
      isFirmware: isOwnerOfFirmware(found.suggested?.serial ?? ''),
      serial: isOwnerOfFirmware(found.suggested?.serial ?? '') ? '' : (found.suggested?.serial ?? ''),
      maker: found.suggested?.maker ?? '',
      model: found.suggested?.model ?? '',
      nickname: found.suggested?.nickname ?? '',
      confirmed: [],
    };
    // What was put in is not what is watched: that is asked for anew.
    return drafts.value[found.id]!;
  }

  /** Which copies to make of an import: at first all that can be, of the phone that their descriptions tell. */
  function copiesDraft(found: ImportView): CopiesDraft {
    const from = found.copies.find((copy) => copy.from)?.from;
    copiesDrafts.value[found.id] ??= {
      picked: found.copies.flatMap(({ path, fault, app, guess }) => (!fault && (app ?? guess) ? [path] : [])),
      packages: Object.fromEntries(found.copies.flatMap(({ path, guess }) => (guess ? [[path, guess]] : []))),
      serial: from?.serial ?? '',
      maker: from?.maker ?? '',
      model: from?.model ?? '',
      nickname: from?.nickname ?? '',
      confirmed: [],
    };
    return copiesDrafts.value[found.id]!;
  }

  /** What is to be done with an import now. */
  const isForCopies = ({ id, images, copies: apps }: ImportView): boolean =>
    apps.length > 0 && (images.length === 0 || doing.value[id] === 'copies');

  /** The phone that tells which partitions there are: the one chosen, or one of the model; empty for none. */
  const alike = ({ isFirmware, serial, maker, model }: ImportDraft): string =>
    isFirmware ? (bench.phones.find((phone) => isSameModel(phone, { maker, model }))?.serial ?? '') : serial;

  /** The partition that a file is the image of: the one chosen, or the one its name speaks of; empty for none. */
  function partitionOf(found: ImportView, { paths, partition, listed }: PlannedImport): string {
    const [path] = paths as [string];
    const { partitions } = draft(found);
    const serial = alike(draft(found));
    const names = known[serial] ?? [];
    if (partitions[path] !== undefined) return partitions[path];
    if (listed || names.length === 0) return partition ?? '';
    const slot = bench.phone(serial)?.facts?.condition.slot;
    return partitionFor(path, names, slot).partition ?? '';
  }

  /** Learns what partitions the chosen phone has: files whose names speak of one of them are taken in. */
  async function learn(found: ImportView): Promise<void> {
    const serial = alike(draft(found));
    if (!serial) return;
    const unmatched = found.images.filter((image) => !image.fault && !partitionOf(found, image));
    known[serial] = await api.knownPartitions(serial).catch(() => []);
    const { picked } = draft(found);
    for (const image of unmatched) {
      const [path] = image.paths as [string];
      if (partitionOf(found, image) && !picked.includes(path)) picked.push(path);
    }
  }

  /** Copies files into the larder; resolves to the import's id, or to undefined when it did not work out. */
  async function copy(files: readonly FileToCopy[]): Promise<string | undefined> {
    const controller = new AbortController();
    const [first] = files as [FileToCopy];
    const top = first.path.includes('/') ? first.path.split('/')[0]! : first.path;
    const state: Copy = reactive({
      key: ++keys,
      name: files.length > 1 && !first.path.includes('/') ? `${top} and ${files.length - 1} more` : top,
      bytes: files.reduce((sum, { file }) => sum + file.size, 0),
      doneBytes: 0,
      error: undefined,
      cancel: () => {
        controller.abort(new Error('cancelled'));
        copies.value = copies.value.filter(({ key }) => key !== state.key);
      },
    });
    copies.value.push(state);
    let id: string | undefined;
    try {
      ({ id } = await api.beginCopy());
      let before = 0;
      for (const { path, file } of files) {
        await copyFile(uploads.file(id, path), file, controller.signal, (bytes) => {
          state.doneBytes = before + bytes;
        });
        before += file.size;
      }
      const ended = await api.endCopy(id, state.name);
      copies.value = copies.value.filter(({ key }) => key !== state.key);
      return ended.id;
    } catch (error) {
      if (id) await api.breakOffCopy(id).catch(() => undefined);
      state.error = (error as Error).message;
      return undefined;
    }
  }

  return {
    view,
    all,
    byId,
    copies,
    known,
    doing,
    load,
    draft,
    copiesDraft,
    isForCopies,
    alike,
    partitionOf,
    learn,
    copy,
  };
});
