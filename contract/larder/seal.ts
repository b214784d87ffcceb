/** A larder that was just sealed; the key is shown once. */
export interface SealSetUp {
  readonly view: SealView;
  readonly recoveryKey: string;
}

/** The seal of the larder's shelf. */
export interface SealView {
  readonly state: 'none' | 'locked' | 'open';
  /** It is being taken off. */
  readonly isComingOff: boolean;
  /** Bytes of all packs. */
  readonly storedBytes: number;
  /** Of those that are not sealed yet; where the seal is coming off, of those that are still sealed. */
  readonly leftBytes: number;
  /** Why it did not go on. */
  readonly fault: string | undefined;
}
