import { IsString, Length } from 'class-validator';

/** Opens what is sealed, or closes it. */
export class Passphrase {
  /** Where something is to be opened, also its recovery key. */
  @IsString()
  @Length(1, 1000)
  passphrase!: string;
}

export class PassphraseChange extends Passphrase {
  @IsString()
  @Length(1, 1000)
  before!: string;
}
