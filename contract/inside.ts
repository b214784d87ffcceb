import type { TreeEntry } from '@keen-larder/core/larder/comparing/files.ts';
import type { Inspection } from '@keen-larder/core/formats/inspect/inspection.ts';

/** One entry of a folder within an image. */
export interface FileView extends Omit<TreeEntry, 'path'> {
  readonly name: string;
}

/** What a folder holds, or a page of it. */
export interface FolderView {
  readonly files: readonly FileView[];
  /** Of all entries, or of those with the letters that were asked for. */
  readonly count: number;
  /** Of the first that is here, among `count`. */
  readonly from: number;
}

/** The most entries of a folder on one page. With more they go by name alone, folders among files. */
export const folderPage = 500;

/** What an image was found to be, and which file trees can be opened in it. */
export interface InsideView {
  readonly inspection: Inspection;
  /** Names of the parts that have a tree; an empty name is the image itself. */
  readonly trees: readonly string[];
}

/** The beginning of a file, as text where it is text. */
export interface PreviewView {
  readonly bytes: number;
  readonly shownBytes: number;
  /** Left out when the bytes are no text; then `hex` shows them. */
  readonly text: string | undefined;
  readonly hex: string | undefined;
}
