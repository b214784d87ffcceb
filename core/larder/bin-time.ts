/** So many days a set or a copy lies in the bin before it is gone. */
export const binDays = 30;
