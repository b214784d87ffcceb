/** How an app's data looked: digests over paths with sizes and times, and over paths with sizes alone. */
export interface DataStamp {
  readonly full: string;
  readonly sizes: string;
}
