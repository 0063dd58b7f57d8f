/** Takes the keyboard to the first field of a form that is marked as wrong, once its marks stand. */
export function goToFirstWrong(form: HTMLElement): void {
  setTimeout(() => form.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus());
}
