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
  readonly battery: {
    readonly percent: number;
    readonly charging: boolean;
    readonly chargesOnCable: boolean;
  };
  readonly hasImei: boolean | undefined;
  readonly build: string | undefined;
}

/** Firmware that the practice bench can put onto a phone. */
export interface PracticeBuild {
  readonly id: string;
  readonly title: string;
  readonly sentence: string;
}

export interface PracticeView {
  readonly phones: readonly PracticePhone[];
  readonly goodBuilds: readonly PracticeBuild[];
  readonly brokenBuilds: readonly PracticeBuild[];
}
