// The whole main job through visible names, then what both simulated systems show on their own pages.
import { readFileSync } from "node:fs";
import { accessible, choose, expect, oldstone, prove, tallybench, test, transfer } from "./support";

const password = "a long enough password";

test("an administrator moves test cases and proves it", async ({ page }) => {
  await page.goto("/");
  await expect(page.getByRole("heading", { name: "Create the first administrator" })).toBeVisible();
  await accessible(page, "sign-in");
  await page.getByLabel("Login").fill("ida");
  await page.getByLabel("Name", { exact: true }).fill("Ida Brekke");
  await page.getByLabel("Password").fill("short");
  await page.getByRole("button", { name: "Create administrator and sign in" }).click();
  await expect(page.getByText("12 characters or more are needed")).toBeVisible();
  await page.getByLabel("Password").fill(password);
  await page.getByRole("button", { name: "Create administrator and sign in" }).click();
  await expect(page.getByRole("heading", { name: "Nothing is connected yet" })).toBeVisible();

  for (const name of ["Oldstone", "Tallybench"]) {
    await page.goto("/systems/new");
    await page.getByRole("radio", { name: new RegExp(`^${name}`) }).check({ force: true });
    await page.getByRole("button", { name: `Use the simulated ${name}` }).click();
    if (name === "Tallybench") {
      // A wrong key first: the check names the step, what came back, and what to do.
      await page.getByLabel("Key").fill("wrong");
      await page.getByRole("button", { name: "Check", exact: true }).click();
      await expect(page.getByText("the key is unknown")).toBeVisible();
      await expect(page.getByText("Enter the sign-in again")).toBeVisible();
      await page.getByRole("button", { name: `Use the simulated ${name}` }).click();
    }
    await page.getByRole("button", { name: "Check", exact: true }).click();
    await expect(page.getByRole("list", { name: "Check" }).getByRole("img", { name: /good|unknown/ })).toHaveCount(5);
    if (name === "Oldstone") await accessible(page, "connect");
    await page.getByRole("button", { name: "Save and open" }).click();
    await page.getByRole("button", { name: "Survey this project" }).click();
    await expect(page.getByRole("button", { name: "Survey again" })).toBeVisible();
    await accessible(page, `survey of ${name}`);
  }

  await page.getByRole("link", { name: "Routes" }).click();
  await page.getByRole("link", { name: "Create a route" }).click();
  await choose(page, page.getByLabel("Left system"), "Oldstone");
  await choose(page, page.getByLabel("Right system"), "Tallybench");
  await page.getByLabel("Name", { exact: true }).fill("Lift control moves");
  await expect(page.getByText("Lanes to begin with")).toBeVisible();
  await accessible(page, "new route");
  await page.getByRole("button", { name: "Create the route" }).click();
  await expect(page.getByRole("navigation", { name: "Stops" })).toBeVisible();
  await accessible(page, "ends");

  await page.getByRole("link", { name: "Choose the scope" }).click();
  const left = page.getByRole("region", { name: "left scope" });
  await expect(left.getByText("51", { exact: true })).toBeVisible();
  await left.getByRole("button", { name: "Add a condition" }).click();
  await left.getByRole("button", { name: "Folder" }).click();
  await page.getByRole("option", { name: /^Gates & tickets/ }).click();
  await expect(left.getByText("51", { exact: true })).toBeHidden();
  await left.getByRole("button", { name: "Add a group" }).click();
  await choose(page, left.getByRole("group", { name: "Group of conditions" }).getByLabel("Field"), "Title");
  await left
    .getByRole("group", { name: "Group of conditions" })
    .getByLabel("Value")
    .fill("Gate refuses a used day pass");
  await accessible(page, "scope");
  // The same as text; what can't be read is told with its place, and what can be becomes rows.
  await left.getByRole("button", { name: "Text" }).click();
  const text = left.getByRole("textbox", { name: "Conditions as text" });
  await expect(text).toHaveText('under(folder, "Gates & tickets") && title == "Gate refuses a used day pass"');
  await text.click();
  await page.keyboard.press("Control+A");
  await page.keyboard.type("fields.imp");
  await page.keyboard.press("Enter");
  await page.keyboard.type(' = "x"');
  await expect(left.getByText("to compare, write ==")).toBeVisible();
  await accessible(page, "scope as text");
  await page.keyboard.press("Control+A");
  await page.keyboard.type('"winter" in fields.labels && size(title) > 20');
  await expect(left.getByText(/CEL. Empty means everything/)).toBeVisible();
  await left.getByRole("button", { name: "Rows" }).click();
  await expect(left.getByLabel("Comparison")).toHaveText("holds");
  await expect(left.getByRole("textbox", { name: "Expression" })).toHaveText("size(title) > 20");
  // What is typed counts even if the rows are asked for at once.
  await left.getByRole("button", { name: "Text" }).click();
  await left.getByRole("textbox", { name: "Conditions as text" }).click();
  await page.keyboard.press("Control+A");
  await page.keyboard.press("Delete");
  await left.getByRole("button", { name: "Rows" }).click();
  await expect(left.getByText("No condition: everything is in scope.")).toBeVisible();
  await page.keyboard.press("Control+z");
  await expect(left.getByRole("textbox", { name: "Expression" })).toHaveText("size(title) > 20");
  await choose(page, left.getByLabel("Bring along"), "items they link to");
  await expect(left.getByText("come along")).toBeVisible();
  await choose(page, left.getByLabel("Bring along"), "nothing else");
  await left.getByRole("button", { name: "Remove condition" }).first().click();
  await left.getByRole("button", { name: "Remove condition" }).click();
  await expect(left.getByText("51", { exact: true })).toBeVisible();
  await page.getByRole("link", { name: /Rules/ }).click();

  await expect(page.getByText("to fix before a dry run")).toBeVisible();
  await expect(page.getByRole("button", { name: "Dry run", exact: true })).toBeDisabled();
  await accessible(page, "rules");
  await choose(page, page.getByLabel("Middling or grave becomes"), "Normal");
  await choose(page, page.getByLabel("empty becomes"), "Normal");
  await page.getByRole("button", { name: "Rule for Status: value map" }).click();
  await choose(page, page.getByLabel("Draft becomes"), "active");
  await choose(page, page.getByLabel("In review becomes"), "active");
  await page.getByRole("button", { name: /^Result/ }).click();
  await page.getByRole("button", { name: "Rule for Outcome: value map" }).click();
  await choose(page, page.getByLabel("Broken rig becomes"), "error");
  await expect(page.getByText("every rule is valid")).toBeVisible();
  await page.getByRole("button", { name: /^Test case/ }).click();
  await page.getByRole("button", { name: "Next item" }).click();
  await expect(page.getByText("OS-2002", { exact: true })).toBeVisible();
  // A value computed from several fields: what is wrong is told at its place, and what it becomes is seen.
  await page.getByRole("button", { name: /^Rule for Component/ }).click();
  await choose(page, page.getByLabel("Source of Component"), "computed, or several fields joined");
  const expression = page.getByRole("textbox", { name: "Expression for Component" });
  await expression.click();
  await page.keyboard.type("fields.nome");
  await page.keyboard.press("Escape");
  await expect(page.getByText("did you mean fields.name?").first()).toBeVisible();
  await page.keyboard.press("Control+A");
  await page.keyboard.type('key + "/" + string(size(fields.labels))');
  await expect(page.getByText(/^OS-2002\/\d$/).first()).toBeVisible();
  await accessible(page, "a computed value");
  // A value map from a spreadsheet: each line is marked, the good ones are taken.
  await page.getByRole("button", { name: "Rule for Status: value map" }).click();
  await page.getByText("Paste from a spreadsheet").click();
  await page.getByLabel("Two columns").fill("Ready\tactive\nReady\tretired\nDraft\tpurple");
  await expect(page.getByText("Line 2: “Ready” is already in line 1")).toBeVisible();
  await expect(page.getByText("Line 3: the right does not allow “purple”")).toBeVisible();
  await page.getByRole("button", { name: "Add 1 line" }).click();
  await page.keyboard.press("Control+s");
  await expect(page.getByText("Saved as version 2")).toBeVisible();
  await page.getByRole("link", { name: /^Version \d/ }).click();
  await expect(page.getByText("Component: no rule →")).toBeVisible();
  await accessible(page, "versions");
  // The route as a file: changed for the worse it is refused with its line, as it is it makes a version.
  const kept = page.waitForEvent("download");
  await page.getByRole("link", { name: /^Save version 2 as a file/ }).click();
  const file = readFileSync(await (await kept).path(), "utf8");
  await page.getByRole("link", { name: "Routes" }).click();
  const give = (text: string) =>
    page
      .getByLabel("Route file")
      .setInputFiles({ name: "route.yaml", mimeType: "application/yaml", buffer: Buffer.from(text) });
  await give(file.replace("name: ", "nome: "));
  await expect(page.getByText(/^line 2: unknown field `nome`/i)).toBeVisible();
  await accessible(page, "a route file that is refused");
  await page.getByRole("button", { name: "Close" }).click();
  await give(file);
  await expect(page.getByRole("button", { name: "Save as version 4" })).toBeVisible();
  await page.getByRole("link", { name: /^Version \d/ }).click();
  await page.getByRole("button", { name: "Restore" }).last().click();
  await expect(page.getByRole("button", { name: "Rule for Component: no rule" })).toBeVisible();
  await page.keyboard.press("Control+z");
  await expect(page.getByRole("button", { name: "Rule for Component: computed" })).toBeVisible();
  await page.keyboard.press("Control+y");
  await expect(page.getByRole("button", { name: "Rule for Component: no rule" })).toBeVisible();
  await page.keyboard.press("Control+Shift+z");
  await page.keyboard.press("Control+z");
  await page.getByRole("button", { name: "Rule for Component: computed" }).click();
  await choose(page, page.getByLabel("Source of Component"), "nothing");
  await page.getByRole("button", { name: "Dry run", exact: true }).click();

  await expect(page.getByRole("list", { name: "Changes" })).toBeVisible();
  await accessible(page, "dry run");
  await page.getByRole("button", { name: /^Already at both/ }).click();
  await expect(page.getByText(/paired because of/)).toBeVisible();
  await page.getByRole("button", { name: /^All/ }).click();
  // One item out, one field of another out.
  await page.getByLabel("Find changes").fill("OS-2003");
  await page.getByRole("checkbox", { name: /^OS-2003/ }).click();
  // With it goes what needs it: its executions and their results.
  await expect(page.getByText("left out", { exact: true }).first()).toBeVisible();
  await page.getByLabel("Find changes").fill("OS-2004");
  // What is typed is asked for a moment later.
  await expect(page.getByRole("region", { name: "Differences" })).toContainText("OS-2004");
  await page.getByRole("checkbox", { name: "Write Preconditions" }).click();
  await expect(page.getByRole("checkbox", { name: "Write Preconditions" })).not.toBeChecked();
  await page.getByRole("button", { name: /^All/ }).click();
  await transfer(page);
  await accessible(page, "receipt");
  await accessible(page, "transfer");
  await prove(page);
  await accessible(page, "proof");
  for (const [name, ending] of [
    ["Page", "html"],
    ["Spreadsheet", "xlsx"],
    ["Signed file", "json"],
  ] as const) {
    const saved = page.waitForEvent("download");
    await page.getByRole("navigation", { name: "Save the proof" }).getByRole("link", { name }).click();
    expect((await saved).suggestedFilename()).toMatch(new RegExp(`^hovrel-proof-.*\\.${ending}$`));
  }

  // What the systems themselves show.
  const tally = await page.context().newPage();
  await tally.goto(`${tallybench}/?find=Oldstone:OS-2002`);
  await expect(tally.getByRole("link", { name: /^TB-/ })).toHaveCount(1);
  await tally.goto(`${tallybench}/?find=Oldstone:OS-2003`);
  await expect(tally.getByRole("link", { name: /^TB-/ })).toHaveCount(0);
  await tally.goto(`${tallybench}/?find=Oldstone:OS-2004`);
  await tally.getByRole("link", { name: /^TB-/ }).click();
  await expect(tally.getByText("Season:")).toBeHidden();

  // An edit on the old system's own page is one change: of the field, and of the history that notes it.
  await tally.goto(`${oldstone}/view/OS-2005`);
  await tally.getByLabel("Name", { exact: true }).fill("Renamed on the old system's page");
  await tally.getByRole("button", { name: "Save" }).click();
  await page.getByRole("link", { name: /Dry run/ }).click();
  await page.getByRole("button", { name: "Dry run again" }).click();
  // Besides it, two lists that lacked what was left out are completed with it.
  await page.getByRole("button", { name: /^Update right \d+$/ }).click();
  await page.getByLabel("Find changes").fill("OS-2005");
  await expect(page.getByRole("list", { name: "Changes" }).getByRole("listitem")).toHaveCount(1);
  await expect(page.getByRole("checkbox", { name: /^Write / })).toHaveCount(2);
  await page.getByRole("link", { name: "Overview" }).click();
  await expect(page.getByRole("link", { name: "Lift control moves" })).toBeVisible();
  await accessible(page, "overview");
});
