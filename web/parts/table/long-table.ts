/** A column of a long table. */
export interface LongColumn {
  readonly key: string;
  readonly title: string;
  /** A track of a grid, such as `84px`. */
  readonly width: string;
  readonly align?: 'right';
  readonly sortable?: boolean;
}
