/** Where an export may go. */
export interface ExportPlace {
  readonly path: string;
  readonly name: string;
  readonly kind: 'home' | 'drive' | 'folder';
  readonly freeBytes: number;
}

/** An export that was made. */
export interface ExportView {
  readonly id: string;
  readonly path: string;
  readonly label: string;
  readonly nickname: string;
  readonly madeAt: number;
  readonly bytes: number;
  readonly fileCount: number;
  /** Its files are age files. */
  readonly isSealed: boolean;
  /** Its folder is there now. */
  readonly isThere: boolean;
}

export interface ExportsView {
  readonly places: readonly ExportPlace[];
  readonly exports: readonly ExportView[];
}

/** Stands for what a sealed download is to be, once and for a minute. */
export interface SealedDownload {
  readonly ticket: string;
}
