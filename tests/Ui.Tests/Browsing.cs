using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using OpenQA.Selenium.Support.UI;
using Shouldly;

namespace SwiftLedger.Ui.Tests;

/// <summary>What a person does and sees, in few words.</summary>
internal static class Browsing
{
    private static readonly TimeSpan Patience = TimeSpan.FromMinutes(3), PatienceForVerdicts = TimeSpan.FromMinutes(15);

    /// <summary>Waits until a page has come, whatever it says: its script comes after the frame.</summary>
    public static void SeePage(this IWebDriver driver) => Until(driver, d =>
        ((IJavaScriptExecutor)d).ExecuteScript("const t = document.querySelector('main')?.innerText.trim() ?? ''; return t !== '' && t !== 'Opening the page.'") as bool? == true ? d : null);

    public static IWebElement See(this IWebDriver driver, By what) => Until(driver, d =>
    {
        IWebElement? found = d.FindElements(what).FirstOrDefault(e => e.Displayed);
        return found;
    });

    /// <summary>Waits for what a trial has to settle first, however slow the machine.</summary>
    public static IWebElement SeeSettled(this IWebDriver driver, By what) => Until(driver, d => d.FindElements(what).FirstOrDefault(e => e.Displayed), PatienceForVerdicts);

    /// <summary>Waits until a trial has ended, however slow the machine.</summary>
    public static IWebElement SeeVerdicts(this IWebDriver driver) => Until(driver, d =>
        d.FindElements(By.XPath("//p[contains(., 'regressed') and contains(., 'the bill')]")).FirstOrDefault(e => e.Displayed), PatienceForVerdicts);

    /// <summary>Waits for a text anywhere on the page.</summary>
    public static void See(this IWebDriver driver, string text) =>
        Until(driver, d => d.FindElement(By.TagName("body")).Text.Contains(text, StringComparison.Ordinal) ? d : null);

    public static void Press(this IWebDriver driver, string button) =>
        driver.Click(By.XPath($"//*[self::button or self::a][normalize-space()='{button}']"));

    /// <summary>Clicks on what is seen; a page that draws itself anew between the two is looked at again.</summary>
    public static void Click(this IWebDriver driver, By what) => Until(driver, d =>
    {
        IWebElement? found = d.FindElements(what).FirstOrDefault(e => e.Displayed);
        found?.Click();
        return found;
    });

    public static void Type(this IWebDriver driver, string editor, string text)
    {
        IWebElement content = driver.See(By.CssSelector($"[aria-label='{editor}'].cm-content"));
        content.Click();
        content.SendKeys(Keys.Control + "a");
        content.SendKeys(text);
    }

    /// <summary>To whatever has the focus; a page that draws itself anew may take away the element that had it a moment ago.</summary>
    public static void PressKeys(this IWebDriver driver, string keys)
    {
        const int attempts = 5;
        for (int i = 1; ; i++)
        {
            try
            {
                driver.SwitchTo().ActiveElement().SendKeys(keys);
                return;
            }
            catch (WebDriverException e) when (i < attempts && e is StaleElementReferenceException or ElementNotInteractableException)
            {
                // Nothing was pressed yet: it has gone, or is not drawn yet.
            }
        }
    }

    /// <summary>Tabs until the focus is on what is described; fails when it cannot be reached.</summary>
    public static void TabTo(this IWebDriver driver, Func<IWebElement, bool> described)
    {
        for (int i = 0; i < 120; i++)
        {
            // The key alone, to whatever has the focus: a page that draws itself anew may just have given it to something that is not drawn yet.
            new Actions(driver).SendKeys(Keys.Tab).Perform();
            try
            {
                if (described(driver.SwitchTo().ActiveElement()))
                {
                    return;
                }
            }
            catch (StaleElementReferenceException)
            {
                // Drawn anew between the key and the look: the next key goes on from there.
            }
        }

        throw new ShouldAssertException("Not reached by keyboard.");
    }

    /// <summary>Tabs to what is described and presses Enter, until its effect is seen: a page that draws itself anew may take the focus away between the two.</summary>
    public static void EnterOn(this IWebDriver driver, Func<IWebElement, bool> described, By effect) => Until(driver, d =>
    {
        d.TabTo(described);
        d.PressKeys(Keys.Enter);
        try
        {
            return Until(d, e => e.FindElements(effect).FirstOrDefault(x => x.Displayed), TimeSpan.FromSeconds(5));
        }
        catch (WebDriverTimeoutException)
        {
            return null;
        }
    });

    /// <summary>Ends a trial that still runs; one that has settled meanwhile needs nothing.</summary>
    public static void CancelTrial(this IWebDriver driver) => driver.Click(By.XPath("//*[self::button or self::a][normalize-space()='Cancel' or normalize-space()='Run again']"));

    /// <summary>What axe-core finds wrong with the page as it stands.</summary>
    public static IReadOnlyList<string> Axe(this IWebDriver driver)
    {
        var scripts = (IJavaScriptExecutor)driver;
        scripts.ExecuteScript(File.ReadAllText(Path.Combine(LedgerFixture.Repository, "ui/node_modules/axe-core/axe.min.js")));
        object? found = scripts.ExecuteAsyncScript("""
            const done = arguments[arguments.length - 1];
            axe.run().then(r => done(r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html.slice(0, 200)).join(' | '))), e => done([String(e)]));
            """);
        return ((IEnumerable<object>)found!).Select(o => o.ToString()!).ToList();
    }

    private static T Until<T>(IWebDriver driver, Func<IWebDriver, T?> found, TimeSpan? patience = null)
        where T : class
    {
        var wait = new WebDriverWait(driver, patience ?? Patience) { PollingInterval = TimeSpan.FromMilliseconds(100) };
        wait.IgnoreExceptionTypes(typeof(StaleElementReferenceException), typeof(NoSuchElementException));
        return wait.Until(found)!;
    }
}
