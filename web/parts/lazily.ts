import { defineAsyncComponent, type Component } from 'vue';

/** A component that is loaded when it is first shown. */
export const lazily = <T extends Component>(load: () => Promise<{ readonly default: T }>): T =>
  defineAsyncComponent({ loader: load, delay: 0 });
