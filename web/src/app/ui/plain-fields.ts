import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';

/**
 * PrimeNG's directives (21.1) have each field, once it is drawn, check the whole view that it stands in, so that a table
 * of n fields is checked n times: five seconds for a plan of 200 devices. What they check for is a value that is looked
 * at again anyway whenever the view is checked.
 */
export function drawFieldsPlainly(): void {
  InputText.prototype.onAfterViewInit = function (this: InputText): void {
    const { ngControl, el } = this;
    this.writeModelValue(ngControl?.value ?? (el.nativeElement as HTMLInputElement).value);
  };
  Textarea.prototype.onAfterViewInit = function (this: Textarea): void {
    if (this.autoResize) this.resize();
  };
}
