import type { NamedPhone } from '../phone/facts.ts';

/** A model of phone, which firmware is for. */
export interface Model {
  readonly maker: string;
  readonly model: string;
}

const prefix = 'firmware/';

/** Under which firmware of a model is filed, as sets are under their phone: no serial has a slash. */
export const ownerOfFirmware = ({ maker, model }: Model): NamedPhone => ({
  serial: `${prefix}${encodeURIComponent(maker)}/${encodeURIComponent(model)}`,
  maker,
  model,
  nickname: `${maker} ${model}`,
});

/** Whether something is filed under a model, not under a phone. */
export const isOwnerOfFirmware = (serial: string): boolean => serial.startsWith(prefix);

export const isSameModel = (a: Model, b: Model): boolean => a.maker === b.maker && a.model === b.model;
