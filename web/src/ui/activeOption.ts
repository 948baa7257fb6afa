import type { Directive } from "vue";

const attribute = "aria-activedescendant";
const watching = new WeakMap<HTMLElement, MutationObserver>();

function dropMissing(element: HTMLElement) {
  for (const input of element.querySelectorAll(`input[${attribute}]`))
    if (!document.getElementById(input.getAttribute(attribute)!)) input.removeAttribute(attribute);
}

/**
 * Keeps inputs with suggestions from naming an option that is not there, as they do while no option
 * is marked; screen readers would look for it. It stands on an element around them.
 */
export const vActiveOption: Directive<HTMLElement> = {
  mounted(element) {
    const observer = new MutationObserver(() => dropMissing(element));
    observer.observe(element, { attributes: true, subtree: true, attributeFilter: [attribute] });
    watching.set(element, observer);
    dropMissing(element);
  },
  updated: dropMissing,
  unmounted(element) {
    watching.get(element)?.disconnect();
  },
};
