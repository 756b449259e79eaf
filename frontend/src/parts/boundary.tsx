import { t } from '@lingui/core/macro'
import { Component, type ReactNode } from 'react'
import { Button } from './button'

/** Round every screen: a fault of ours takes down what it stands in, never the product; nothing typed is lost. */
export class Boundary extends Component<{ children: ReactNode; place: string }, { failed: boolean }> {
  override state = { failed: false }

  static getDerivedStateFromError() {
    return { failed: true }
  }

  override componentDidUpdate(before: { place: string }) {
    if (before.place !== this.props.place && this.state.failed) this.setState({ failed: false })
  }

  override render() {
    if (!this.state.failed) return this.props.children
    return (
      <div role="alert" className="m-4 max-w-xl border-2 border-fail bg-field p-3">
        <p className="font-bold text-fail">{t`✕ This screen failed`}</p>
        <p>{t`Program error. Saved entries are safe; what you typed stays on this phone.`}</p>
        <p className="font-bold">{t`→ Open it again, or go on with another rung.`}</p>
        <Button className="mt-2" onClick={() => this.setState({ failed: false })}>{t`Open it again`}</Button>
      </div>
    )
  }
}
