const place = 'orange-crank.single-keys'

/** Whether single letters are shortcuts; they can be switched off (speech input types them by mistake). */
export function singleKeysOn(): boolean {
  return localStorage.getItem(place) !== 'off'
}

export function setSingleKeys(on: boolean) {
  if (on) localStorage.removeItem(place)
  else localStorage.setItem(place, 'off')
}
