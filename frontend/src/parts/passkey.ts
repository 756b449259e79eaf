import { t } from '@lingui/core/macro'
import { Refusal } from '../api/client'

type Json = Record<string, unknown>

/** Whether this browser can keep passkeys at this address: they are bound to a name, never to a number. */
export function passkeysHere(): boolean {
  return (
    typeof PublicKeyCredential !== 'undefined' &&
    'parseCreationOptionsFromJSON' in PublicKeyCredential &&
    window.isSecureContext &&
    !/^[\d.]+$|^\[/.test(location.hostname)
  )
}

/** Let the device make a passkey from what the server requests. */
export async function makePasskey(options: unknown): Promise<Json> {
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(
    options as PublicKeyCredentialCreationOptionsJSON,
  )
  return told(navigator.credentials.create({ publicKey }))
}

/** Let the device sign what the server requests with a passkey it keeps. */
export async function askPasskey(options: unknown): Promise<Json> {
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(
    options as PublicKeyCredentialRequestOptionsJSON,
  )
  return told(navigator.credentials.get({ publicKey }))
}

async function told(asked: Promise<Credential | null>): Promise<Json> {
  let found: Credential | null
  try {
    found = await asked
  } catch {
    found = null
  }
  if (!(found instanceof PublicKeyCredential))
    throw new Refusal({
      title: t`No passkey`,
      detail: t`No passkey from this device: canceled, or none saved for this address.`,
      next_step: t`Sign in by your passphrase; a passkey is made on Shop, Your sign-in.`,
      code: 'refused',
      errors: [],
      status: 0,
    })
  return found.toJSON() as unknown as Json
}
