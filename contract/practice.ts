import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';

/** A simulated phone as its practice controls report it. */
export interface PracticePhone {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  readonly adb: string;
  readonly fastboot: string;
  readonly loader: string | undefined;
  readonly power: boolean;
  readonly mode: PhoneMode | undefined;
  /** Modes that its keys lead into. */
  readonly modes: readonly PhoneMode[];
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
  /** What is wrong with it on purpose. */
  readonly faults: readonly string[];
  readonly partitions: readonly string[];
  /** The computer that wants to be let in, as the question on its screen tells. */
  readonly asking: { readonly name: string; readonly fingerprint: string } | undefined;
  readonly locked: boolean;
  /** What it wants to be told on the screen before it does it: its bootloader wipes user data with both, its system hands apps' data out. */
  readonly question: 'lock' | 'unlock' | 'backup' | 'restore' | 'import' | undefined;
  /** What came of the last package that its recovery was given, and what its screen showed. */
  readonly installed: { readonly isGood: boolean; readonly lines: readonly string[] } | undefined;
}

/** Firmware that the practice bench can put onto a phone. */
export interface PracticeBuild {
  readonly id: string;
  /** Names of the models that it is for. */
  readonly models: readonly string[];
  readonly title: string;
  readonly sentence: string;
}

export interface PracticeView {
  readonly phones: readonly PracticePhone[];
  readonly goodBuilds: readonly PracticeBuild[];
  readonly brokenBuilds: readonly PracticeBuild[];
}
