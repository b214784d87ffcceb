// What a component is, only vue-tsc knows, which reads the file itself; to the linter it is some component.
declare module '*.vue' {
  import type { DefineComponent } from 'vue';
  const component: DefineComponent;
  export default component;
}

declare module '*.md?raw' {
  const text: string;
  export default text;
}
