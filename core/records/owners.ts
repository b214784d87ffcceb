/** Who a file on the phone belongs to. */
export interface FileOwnerFacts {
  readonly uid: number;
  readonly gid: number;
  /** Permission bits. */
  readonly mode: number;
  /** SELinux label; left out where the phone does not tell. */
  readonly label?: string | undefined;
}
