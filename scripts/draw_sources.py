#!/usr/bin/python3
"""Draws what each source of size does to the surface mesh of the wind-hut demo, one panel each.

    draw_sources.py picture.png

Needs `anvilcast` in the PATH and Debian's python3-vtk9; no display. For the pictures in docs/screenshots.
"""
import math
import pathlib
import re
import subprocess
import sys
import tempfile
import vtk

demo = pathlib.Path(__file__).resolve().parent.parent / "demo" / "wind-hut"
PANELS = [
    ("[[refine]] on = \"roof\"", 2.5, "", 'on = ["roof"]\nsize = 0.3'),
    ("edges between two zones, biased", 2.5, "",
     'between = ["roof", "walls"]\ndivisions = 30\nbias = 8\ntowards = [-3, 2, 2.3]'),
    ("at a place", 2.5, "", "at = [[7, 4, 0]]\nsize = 0.12"),
    ("per_turn = 32", 2.5, "per_turn = 32", ""),
    ("across_gaps = 10: under the eaves", 2.5, "across_gaps = 10", ""),
    ("a box in shares of the roof", 2.5, "", 'shape = "box"\nof = "roof"\nfrom = [1, 0, -1.5]\nto = [2, 1, 1]\nsize = 0.35'),
    ("a cone", 2.5, "", 'shape = "cone"\nfrom = [5, 5, 0]\nto = [12, 5, 0]\nradius = 0.8\nradius_to = 2.2\nsize = 0.4'),
    ("a wake", 2.5, "", 'shape = "wake"\nof = "walls"\ndirection = [1, 0, 0]\nopening = 9\nlength = 12\nsize = 0.4'),
    ("at_least in a sphere", 0.5, "", 'shape = "sphere"\ncenter = [8, 5, 0]\nradius = 4\nat_least = 2'),
]


def built(surface, sizing, refine, folder):
    """The surface mesh of the demo, its own sizes replaced by the one source."""
    case = (demo / "case.toml").read_text()
    head = case[: case.index("[sizing]")]
    head = re.sub(r'file = "', f'file = "{demo}/', head)
    text = f"{head}[sizing]\nsurface = {surface}\nlargest = 5\ngrowth = 1.2\n{sizing}\n"
    if refine:
        text += f"[[refine]]\n{refine}\n"
    (folder / "case.toml").write_text(text)
    subprocess.run(["anvilcast", "build", str(folder / "case.toml"), "--until", "surface", "--out", str(folder / "out")],
                   check=True, stdout=subprocess.DEVNULL)
    reader = vtk.vtkXMLUnstructuredGridReader()
    reader.SetFileName(str(folder / "out" / "surface.vtu"))
    reader.Update()
    return reader.GetOutput()


def seen_from_above(grid):
    """Ground and body: without the surround's other faces."""
    size, kept = vtk.vtkDoubleArray(), vtk.vtkIdList()
    for i in range(grid.GetNumberOfCells()):
        p = [grid.GetCell(i).GetPoints().GetPoint(k) for k in range(3)]
        size.InsertNextValue(math.sqrt(vtk.vtkTriangle.TriangleArea(*p) * 4 / math.sqrt(3)))
        x, y, z = (sum(q[k] for q in p) / 3 for k in range(3))
        if z < 6 and y > 1e-9:
            kept.InsertNextId(i)
    grid.GetCellData().SetScalars(size)
    extract = vtk.vtkExtractCells()
    extract.SetInputData(grid)
    extract.SetCellList(kept)
    skin = vtk.vtkDataSetSurfaceFilter()
    skin.SetInputConnection(extract.GetOutputPort())
    return skin


colours = vtk.vtkLookupTable()
colours.SetNumberOfTableValues(256)
for i in range(256):
    # From dark blue over teal to pale sand: told apart by lightness alone.
    t = i / 255
    colours.SetTableValue(i, 0.10 + 0.86 * t ** 1.3, 0.22 + 0.68 * t, 0.42 + 0.35 * t - 0.15 * t * t)
colours.SetScaleToLog10()
colours.SetTableRange(0.1, 4)

window = vtk.vtkRenderWindow()
window.SetOffScreenRendering(1)
window.SetMultiSamples(8)
window.SetSize(1280, 800)
for number, (title, surface, sizing, refine) in enumerate(PANELS):
    with tempfile.TemporaryDirectory() as name:
        skin = seen_from_above(built(surface, sizing, refine, pathlib.Path(name)))
        skin.Update()
    mapper = vtk.vtkPolyDataMapper()
    mapper.SetInputData(skin.GetOutput())
    mapper.SetLookupTable(colours)
    mapper.UseLookupTableScalarRangeOn()
    actor = vtk.vtkActor()
    actor.SetMapper(mapper)
    p = actor.GetProperty()
    p.EdgeVisibilityOn()
    p.SetEdgeColor(0.05, 0.08, 0.12)
    p.SetLineWidth(0.5)
    p.SetAmbient(0.7)
    p.SetDiffuse(0.35)
    label = vtk.vtkTextActor()
    label.SetInput(title)
    label.GetTextProperty().SetFontSize(17)
    label.GetTextProperty().SetColor(0.1, 0.1, 0.1)
    label.GetTextProperty().SetBackgroundColor(1, 1, 1)
    label.GetTextProperty().SetBackgroundOpacity(1)
    label.SetPosition(8, 240)
    renderer = vtk.vtkRenderer()
    renderer.SetBackground(1, 1, 1)
    column, row = number % 3, 2 - number // 3
    renderer.SetViewport(0.308 * column, row / 3, 0.308 * column + 0.306, (row + 0.99) / 3)
    renderer.AddActor(actor)
    renderer.AddActor2D(label)
    camera = renderer.GetActiveCamera()
    camera.SetFocalPoint(4.5, 4.6, 0)
    camera.SetPosition(7, -16, 26)
    camera.SetViewUp(0, 0, 1)
    camera.SetViewAngle(25)
    renderer.ResetCameraClippingRange()
    window.AddRenderer(renderer)
bar = vtk.vtkScalarBarActor()
bar.SetLookupTable(colours)
bar.SetTitle("edge, m")
bar.SetNumberOfLabels(4)
bar.SetLabelFormat("%.2g")
bar.UnconstrainedFontSizeOn()
bar.SetWidth(0.9)
bar.SetHeight(0.4)
bar.SetPosition(0.05, 0.3)
for text in (bar.GetTitleTextProperty(), bar.GetLabelTextProperty()):
    text.SetColor(0.1, 0.1, 0.1)
    text.SetBold(False)
    text.SetItalic(False)
    text.ShadowOff()
    text.SetFontSize(13)
side = vtk.vtkRenderer()
side.SetBackground(1, 1, 1)
side.SetViewport(0.924, 0, 1, 1)
side.AddActor2D(bar)
window.AddRenderer(side)
window.Render()
grab = vtk.vtkWindowToImageFilter()
grab.SetInput(window)
writer = vtk.vtkPNGWriter()
writer.SetFileName(sys.argv[1])
writer.SetInputConnection(grab.GetOutputPort())
writer.Write()
