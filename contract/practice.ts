/** A simulated phone as its practice controls report it. */
export interface PracticePhone {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  readonly adb: string;
  readonly power: boolean;
  readonly mode: 'system' | 'recovery' | 'bootloader' | undefined;
  readonly phase: 'off' | 'starting' | 'running' | 'looping';
  readonly reason: string | undefined;
  readonly cable: boolean;
  readonly battery: { readonly percent: number; readonly charging: boolean; readonly chargesOnCable: boolean };
  readonly hasImei: boolean | undefined;
  readonly build: string | undefined;
}

export interface PracticeView {
  readonly phones: readonly PracticePhone[];
  readonly brokenBuilds: readonly { readonly id: string; readonly title: string; readonly sentence: string }[];
}
