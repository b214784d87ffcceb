import { useLocalStorage } from '@vueuse/core';
import { computed } from 'vue';

/** Millimetres, as the label comes out of the printer. */
export interface LabelSize {
  readonly width: number;
  readonly height: number;
}

/** Sizes in which rolls of labels are sold: die-cut address and shipping labels (common practice, no published source). */
export const usualSizes: readonly LabelSize[] = [
  { width: 62, height: 29 },
  { width: 89, height: 36 },
  { width: 50, height: 30 },
  { width: 90, height: 54 },
  { width: 102, height: 76 },
];

export const leastSize: LabelSize = { width: 40, height: 25 };
export const mostSize: LabelSize = { width: 210, height: 297 };

/** Within what can be printed. */
export const asLabelSize = ({ width, height }: LabelSize): LabelSize => ({
  width: Math.min(Math.max(Math.round(width) || 0, leastSize.width), mostSize.width),
  height: Math.min(Math.max(Math.round(height) || 0, leastSize.height), mostSize.height),
});

/** The size that was chosen last in this browser. */
export function useLabelSize() {
  const saved = useLocalStorage<LabelSize>('label-size', usualSizes[0]!, { writeDefaults: false });
  return computed({
    get: () => asLabelSize(saved.value),
    set: (size: LabelSize) => (saved.value = asLabelSize(size)),
  });
}
