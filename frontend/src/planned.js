// A plan on screen is that of the form above it. Once the form says something else, the button that does the act asks for
// the plan of that first.

const ASK = "Show the plan of this first";

/** Whether a field says something else than when the server sent it. */
function isChanged(field) {
  if (field.type === "hidden" || field.disabled) return false;
  if (field.type === "checkbox" || field.type === "radio") return field.checked !== field.defaultChecked;
  if (field.type === "file") return Boolean(field.value);
  if (field.options) {
    const options = [...field.options];
    const preset = options.some((option) => option.defaultSelected);
    return options.some((option, n) => option.selected !== (preset ? option.defaultSelected : n === 0));
  }
  return "defaultValue" in field && field.value !== field.defaultValue;
}

export function planned() {
  const doing = document.querySelector("form.sticky-foot[method=post]");
  const button = doing?.querySelector("button.main");
  if (!button) return;
  const said = button.textContent;
  const asking = [...document.querySelectorAll("main form")].filter((form) => form !== doing);
  const changed = () => asking.find((form) => [...form.elements].some(isChanged));
  const look = () => {
    button.textContent = changed() ? ASK : said;
  };
  doing.addEventListener("submit", (event) => {
    const form = changed();
    if (!form) return;
    event.preventDefault();
    form.requestSubmit();
  });
  for (const name of ["input", "change"]) document.addEventListener(name, look);
  // A browser that comes back to a page fills its fields in as they were left.
  addEventListener("pageshow", look);
  look();
}
