import { useMediaQuery } from '@vueuse/core';

/** What points is a finger: what it is to meet has at least 44 pixels each way. */
export const isFinger = useMediaQuery('(pointer: coarse)');
