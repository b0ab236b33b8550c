using EasyCaravan.Core.Formats;
using Spectre.Console;
using Spectre.Console.Rendering;

namespace EasyCaravan.Cli.Output;

/// <summary>The same for what is drawn: the drawing's own colours and moves go on to the terminal, and no others.</summary>
internal sealed class VisibleSegments : IRenderHook
{
    public IEnumerable<IRenderable> Process(RenderOptions options, IEnumerable<IRenderable> renderables) =>
        renderables.Select(r => new Shown(r));

    private sealed class Shown(IRenderable inner) : IRenderable
    {
        public Measurement Measure(RenderOptions options, int maxWidth) => inner.Measure(options, maxWidth);

        public IEnumerable<Segment> Render(RenderOptions options, int maxWidth) =>
            inner
                .Render(options, maxWidth)
                .Select(s => s.IsControlCode || s.IsLineBreak ? s : new Segment(VisibleText.Of(s.Text, keepsLines: true), s.Style));
    }
}
