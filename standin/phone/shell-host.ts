import { isLocked, type FoundMount, type StartOutcome } from '../boot/start.ts';
import type { Flash } from '../flash/flash.ts';
import { bootloaderVersion, type Model } from '../models.ts';
import { nodeOf, type ShellHost } from '../shell/host.ts';
import type { SimulatedMode } from './phone-state.ts';

type Started = StartOutcome & { readonly starts: true };

/** What a start leaves for the shell to see. */
interface HostPlan extends Pick<ShellHost, 'mode' | 'properties' | 'hasSu' | 'battery' | 'isAgreedTo'> {
  readonly flash: Flash;
  readonly model: Model;
  readonly serial: string;
  /** The system has come up. */
  readonly isUp: boolean;
  readonly mounts: readonly FoundMount[];
  readonly slot: Started['slot'];
  readonly imei: Started['imei'];
  restart(into: SimulatedMode): void;
}

/** The phone as its shell sees it. */
export function shellHost(plan: HostPlan): ShellHost {
  const { flash, mode, hasSu, imei, battery } = plan;
  const { encrypted, disk } = plan.model;
  const locked = isLocked(flash, plan.model);
  let mapped = 0;
  return {
    mode,
    properties: {
      ...plan.properties,
      'ro.serialno': plan.serial,
      'ro.bootloader': bootloaderVersion(plan.model),
      'ro.bootmode': mode === 'recovery' ? 'recovery' : 'unknown',
      'ro.boot.flash.locked': locked ? '1' : '0',
      'ro.boot.verifiedbootstate': locked ? 'green' : 'orange',
      'ro.crypto.state': encrypted ? 'encrypted' : 'unencrypted',
      ...(plan.slot && { 'ro.boot.slot_suffix': `_${plan.slot}` }),
      ...(plan.isUp && { 'sys.boot_completed': '1' }),
    },
    rootDaemon: mode === 'recovery',
    hasSu,
    flash,
    disk,
    mounts: plan.mounts.map(({ partition, at, writable, source, isMapped }) => ({
      at,
      writable,
      source,
      device: isMapped ? `/dev/block/dm-${mapped++}` : nodeOf({ flash, disk }, partition),
    })),
    handed: new Map(),
    startedAt: Date.now(),
    imei,
    battery,
    isAgreedTo: plan.isAgreedTo,
    reboot: (into) => plan.restart(modeOfReboot(into)),
  };
}

/** How its adb daemon greets. */
export function bannerOf({ properties, mode }: ShellHost): string {
  return [
    `${mode === 'recovery' ? 'recovery' : 'device'}::ro.product.name=${properties['ro.product.name'] ?? ''}`,
    `ro.product.model=${properties['ro.product.model'] ?? ''}`,
    `ro.product.device=${properties['ro.product.device'] ?? ''}`,
    'features=shell_v2,cmd,delayed_ack',
  ].join(';');
}

export const modeOfReboot = (into: string): SimulatedMode =>
  into === 'recovery' || into === 'bootloader' ? into : 'system';
