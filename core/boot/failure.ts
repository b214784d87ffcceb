/** Why a phone does not start: nothing ran but its processor's own loader, its bootloader went no further, or its kernel gave up. */
export class BootFailure extends Error {
  override readonly name = 'BootFailure';
  constructor(
    readonly stage: 'early-loader' | 'bootloader' | 'init',
    message: string,
  ) {
    super(message);
  }
}
