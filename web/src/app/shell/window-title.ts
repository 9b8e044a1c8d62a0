import { Injectable } from '@angular/core';
import { TitleStrategy, type RouterStateSnapshot } from '@angular/router';

/** The window's title: what calls the person, what is to be done, and the view. */
@Injectable({ providedIn: 'root' })
export class WindowTitle extends TitleStrategy {
  private view = document.title;
  private say = '';
  private calls = 0;

  override updateTitle(snapshot: RouterStateSnapshot): void {
    this.view = this.buildTitle(snapshot) ?? 'Nest Mark';
    this.write();
  }

  /** @param say what has to be done; empty for nothing */
  setTurn(say: string): void {
    this.say = say;
    this.write();
  }

  /** @param calls how many cards ended that nobody has looked at */
  setCalls(calls: number): void {
    this.calls = calls;
    this.write();
  }

  private write(): void {
    const calls = this.calls > 0 ? `(${String(this.calls)}) ` : '';
    document.title = `${calls}${this.say === '' ? '' : `${this.say} · `}${this.view}`;
  }
}
