import type { TreeEntry } from '@keen-larder/core/larder/comparing/files.ts';
import type { Inspection } from '@keen-larder/core/formats/inspect/inspection.ts';

/** One entry of a folder within an image. */
export interface FileView extends Omit<TreeEntry, 'path'> {
  readonly name: string;
}

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
