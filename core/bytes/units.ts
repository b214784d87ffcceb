const steps = ['B', 'KiB', 'MiB', 'GiB', 'TiB'] as const;

/** A size for reading: three significant digits in binary units, e.g. `37.2 MiB`. */
export function sizeText(bytes: number): string {
  let value = bytes;
  let step = 0;
  while (Math.abs(value) >= 1024 && step < steps.length - 1) {
    value /= 1024;
    step++;
  }
  const digits = step === 0 || value >= 100 ? 0 : value >= 10 ? 1 : 2;
  return `${trimmed(value.toFixed(digits))} ${steps[step]}`;
}

const trimmed = (text: string) => (text.includes('.') ? text.replace(/\.?0+$/, '') : text);

/** A duration for reading, from seconds to days: `under 1 s`, `45 s`, `4 min 10 s`, `2 h 5 min`. */
export function durationText(ms: number): string {
  if (ms < 1000) return 'under 1 s';
  const seconds = Math.round(ms / 1000);
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.floor(seconds / 60);
  if (minutes < 60) return seconds % 60 ? `${minutes} min ${seconds % 60} s` : `${minutes} min`;
  const hours = Math.floor(minutes / 60);
  if (hours < 48) return minutes % 60 ? `${hours} h ${minutes % 60} min` : `${hours} h`;
  return `${Math.floor(hours / 24)} days`;
}

/** A duration that is reckoned: `≈ 45 s`, `under 1 s`. */
export const aboutText = (ms: number): string => `${ms < 1000 ? '' : '≈ '}${durationText(ms)}`;
