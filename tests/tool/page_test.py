#!/usr/bin/python3
"""The pages in a real browser, headless: page_test.py TOOL SOURCE. Exit status 77: there is no browser here."""
import pathlib
import subprocess
import sys
import tempfile
import time

SKIPPED = 77
try:
    from selenium import webdriver
    from selenium.webdriver.chrome.options import Options
    from selenium.webdriver.chrome.service import Service
    from selenium.webdriver.common.action_chains import ActionChains
    from selenium.webdriver.common.by import By
    from selenium.webdriver.common.keys import Keys
except ImportError:
    print('skipped: python3-selenium is not installed')
    sys.exit(SKIPPED)
for needed in ('/usr/bin/chromium', '/usr/bin/chromedriver'):
    if not pathlib.Path(needed).exists():
        print(f'skipped: {needed} is not installed')
        sys.exit(SKIPPED)

tool, source = sys.argv[1], pathlib.Path(sys.argv[2])


def browser(width=1280, height=800):
    options = Options()
    options.binary_location = '/usr/bin/chromium'
    for argument in ('--headless=new', '--no-sandbox', '--disable-dev-shm-usage', '--use-angle=swiftshader',
                     '--enable-unsafe-swiftshader', '--force-prefers-reduced-motion', f'--window-size={width},{height}'):
        options.add_argument(argument)
    options.set_capability('goog:loggingPrefs', {'browser': 'ALL'})
    return webdriver.Chrome(service=Service('/usr/bin/chromedriver'), options=options)


def opened(page, width=1280, height=800):
    driver = browser(width, height)
    driver.get(page.as_uri())
    return driver


def wait_for(driver, script, what):
    for _ in range(100):
        if driver.execute_script(script):
            return
        time.sleep(0.1)
    raise AssertionError(what)


# A small copy of the view as numbers: how many colours it has, and a sum that changes with what is seen.
LOOK = '''
const small = document.createElement('canvas');
small.width = 160; small.height = 100;
const g = small.getContext('2d');
g.drawImage(view.canvas, 0, 0, 160, 100);
const p = g.getImageData(0, 0, 160, 100).data;
const colours = new Set();
let sum = 0;
for (let i = 0; i < p.length; i += 4) {
    colours.add(p[i] << 16 | p[i + 1] << 8 | p[i + 2]);
    sum = (31 * sum + p[i] + 3 * p[i + 1] + 7 * p[i + 2]) % 1000000007;
}
return [colours.size, sum];
'''


def look(driver):
    time.sleep(0.4)
    return driver.execute_script(LOOK)


def check_console(driver):
    errors = [e['message'] for e in driver.get_log('browser') if e['level'] == 'SEVERE']
    assert not errors, errors


def test_report(page):
    assert page.stat().st_size < 8e6, page.stat().st_size
    driver = opened(page)
    wait_for(driver, 'return !!(window.view && view.models.surface)', 'the view shows nothing')
    colours, before = look(driver)
    assert colours > 60, f'the view is blank: {colours} colours'

    # Zones are hidden and shown.
    box = driver.find_element(By.CSS_SELECTOR, 'input[data-zone]')
    box.click()
    _, without = look(driver)
    assert without != before, 'hiding a zone changes nothing'
    box.click()
    assert look(driver)[1] == before, 'showing it again does not bring it back'

    # A row of the table moves the camera, by mouse and by keyboard.
    start = driver.execute_script('return view.state()')
    driver.find_element(By.CSS_SELECTOR, 'tr[data-worst="0"]').click()
    wait_for(driver, 'return view.camera.zoom > 2', 'the row does not move the camera')
    time.sleep(0.6)
    first = driver.execute_script('return view.state()')
    assert first['target'] != start['target']
    row = driver.find_elements(By.CSS_SELECTOR, 'tr[data-worst]')[-1]
    driver.execute_script('arguments[0].focus()', row)
    ActionChains(driver).send_keys(Keys.ENTER).perform()
    time.sleep(0.8)
    assert driver.execute_script('return view.state()')['target'] != first['target']
    driver.execute_script('view.canvas.focus()')
    ActionChains(driver).send_keys(Keys.HOME).send_keys(Keys.ARROW_LEFT).perform()
    assert driver.execute_script('return view.state()')['zoom'] == 1

    # Cuts along each axis, each a picture of its own.
    seen = set()
    for axis in '0', '1', '2':
        driver.execute_script('''const s = document.getElementById('cut-axis'); s.value = arguments[0];
                                 s.dispatchEvent(new Event('change'));''', axis)
        assert driver.find_element(By.ID, 'cut-note').text.startswith('xyz'[int(axis)] + ' = ')
        seen.add(look(driver)[1])
    assert len(seen) == 3
    slider = driver.find_element(By.ID, 'cut')
    if int(slider.get_attribute('max')) > 0:
        driver.execute_script("arguments[0].value = 0; arguments[0].dispatchEvent(new Event('input'))", slider)
        assert look(driver)[1] not in seen, 'the slider changes nothing'

    assert len(driver.find_elements(By.CSS_SELECTOR, '#histograms svg')) > 10
    assert len(driver.find_elements(By.CSS_SELECTOR, '#quality tbody tr')) > 10
    for part, text in (('verdict', 'limit'), ('predicted', 'predicted'), ('case', '[[opening]]')):
        assert text in driver.find_element(By.ID, part).text, part
    check_console(driver)
    driver.quit()

    phone = opened(page, 500, 850)
    wait_for(phone, 'return !!(window.view && view.models.surface)', 'the view shows nothing on a phone')
    assert phone.execute_script('return document.documentElement.scrollWidth <= window.innerWidth + 1'), 'wider than a phone'
    check_console(phone)
    phone.quit()


def test_inspection(page):
    driver = opened(page)
    wait_for(driver, 'return !!(window.view && view.models.surface)', 'the view shows nothing')
    assert look(driver)[0] > 30

    def snippet():
        return driver.find_element(By.ID, 'snippet').text

    ActionChains(driver).move_to_element(driver.find_element(By.CSS_SELECTOR, '#view canvas')).click().perform()
    time.sleep(0.3)
    assert '[[zone]]' in snippet() and 'near = [' in snippet(), snippet()
    driver.find_element(By.CSS_SELECTOR, 'tr[data-opening="0"]').click()
    assert '[[opening]]' in snippet(), snippet()
    driver.find_element(By.CSS_SELECTOR, 'tr[data-volume="0"]').click()
    assert 'inside = [' in snippet(), snippet()
    check_console(driver)
    driver.quit()


def test_study(page):
    driver = opened(page)
    wait_for(driver, 'return window.views && views.length === 4 && views.every(v => v.models.cut)', 'cuts are missing')
    assert '4 of 4 variants' in driver.find_element(By.ID, 'verdict').text

    def variants():
        return [r.get_attribute('data-variant') for r in driver.find_elements(By.CSS_SELECTOR, '#variants tbody tr')]

    # A head sorts, and once more the other way.
    assert variants() == ['coarse-2', 'coarse-3', 'fine-2', 'fine-3'], variants()
    by_layers = driver.find_elements(By.CSS_SELECTOR, '#variants th button')[1]
    by_layers.click()
    assert variants() == ['coarse-2', 'fine-2', 'coarse-3', 'fine-3'], variants()
    by_layers.click()
    assert variants()[0].endswith('-3'), variants()

    # Any figure against any other: a point for each variant.
    assert len(driver.find_elements(By.CSS_SELECTOR, '#plot circle')) == 4
    before = driver.find_element(By.ID, 'plot').get_attribute('innerHTML')
    driver.execute_script("const s = document.getElementById('plot-y'); s.value = 'cells'; s.dispatchEvent(new Event('change'))")
    assert driver.find_element(By.ID, 'plot').get_attribute('innerHTML') != before

    # One view turned turns all; all look at the same place at the same scale.
    driver.execute_script('views[2].canvas.focus()')
    ActionChains(driver).send_keys(Keys.ARROW_LEFT).send_keys('+').perform()
    states = driver.execute_script('return views.map(v => JSON.stringify(v.state()))')
    assert len(set(states)) == 1, states
    shown = driver.execute_script('return views.map(v => v.models.cut[0].geometry.attributes.position.count)')
    assert len(set(shown)) == 4, 'the cuts are of one mesh'
    driver.execute_script("const s = document.getElementById('cut-axis'); s.value = 2; s.dispatchEvent(new Event('change'))")
    assert driver.execute_script('return views.map(v => v.models.cut[0].geometry.attributes.position.count)') != shown

    difference = driver.find_element(By.ID, 'difference').text
    assert '- count = 2' in difference and '+ count = 3' in difference and '[[layers]]' in difference, difference
    check_console(driver)
    driver.quit()


with tempfile.TemporaryDirectory() as scratch:
    place = pathlib.Path(scratch)
    body = source / 'demo' / 'dust-cyclone' / 'cyclone-shell.stl'
    case = (source / 'demo' / 'dust-cyclone' / 'case.toml').read_text().replace('cyclone-shell.stl', str(body))
    # Twice as coarse, for a tenth of the time.
    case = case.replace('surface = 6 ', 'surface = 11 ').replace('largest = 12', 'largest = 22')
    (place / 'case.toml').write_text(case)
    subprocess.run([tool, 'build', place / 'case.toml', '--out', place / 'made', '--quiet'], check=False)
    assert (place / 'made' / 'report.html').exists()
    test_report(place / 'made' / 'report.html')
    (place / 'made' / 'report.html').unlink()
    subprocess.run([tool, 'report', place / 'made', '--quiet'], check=True)
    assert (place / 'made' / 'report.html').exists()
    subprocess.run([tool, 'inspect', body, '--page', place / 'body.html', '--quiet'], check=True)
    test_inspection(place / 'body.html')
    (place / 'study.toml').write_text('''[study]
case = "case.toml"
[[vary]]
scale = [1.6, 1.2]
names = ["coarse", "fine"]
[[vary]]
key = "layers[1].count"
values = [2, 3]
''')
    subprocess.run([tool, 'study', place / 'study.toml', '--out', place / 'study', '--quiet'], check=False)
    test_study(place / 'study' / 'study.html')
print('pages: ok')
