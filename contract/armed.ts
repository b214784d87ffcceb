/** Destructive runs are armed by typing this: the last four characters of the phone's serial. */
export const armingText = (serial: string): string => serial.slice(-4);
