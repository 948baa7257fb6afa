import type { Directive } from "vue";

const attribute = "aria-activedescendant";
const watching = new WeakMap<HTMLElement, MutationObserver>();

function mend(element: HTMLElement) {
  for (const input of element.querySelectorAll(`input[${attribute}]`))
    if (!document.getElementById(input.getAttribute(attribute)!)) input.removeAttribute(attribute);
}

/**
 * Keeps inputs with suggestions from naming an option that is not there, as they do while no option
 * is marked; screen readers would look for it. It stands on an element around them.
 */
export const vActiveOption: Directive<HTMLElement> = {
  mounted(element) {
    const observer = new MutationObserver(() => mend(element));
    observer.observe(element, { attributes: true, subtree: true, attributeFilter: [attribute] });
    watching.set(element, observer);
    mend(element);
  },
  updated: mend,
  unmounted(element) {
    watching.get(element)?.disconnect();
  },
};
