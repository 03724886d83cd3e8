// A form in a page whose policy allows no inline script and no inline style.
import load, { Form } from "../module/ricordo.js";
import { ready } from "./ready.js";

window.violations = [];
document.addEventListener("securitypolicyviolation", (event) => window.violations.push(`${event.violatedDirective}: ${event.blockedURI}`));

await ready(load);
const definition = {
  type: "object",
  properties: {
    name: { type: "string", minLength: 3 },
    rows: { type: "array", items: { type: "object", properties: { n: { type: "integer", minimum: 1 } } } },
  },
};
window.form = new Form(definition, {});
form.bind(document.querySelector("form"), { onSubmit() {} });
