using System.Globalization;
using System.Net;
using System.Runtime.CompilerServices;
using System.Text;

namespace Lodrik.Cli.Report;

/// <summary>
/// A piece of HTML. What is put into one is escaped, unless it is HTML itself: nothing that is in a save can become markup.
/// </summary>
internal readonly record struct Html(string Text)
{
    public static Html None { get; } = new("");

    public static Html Of(Interpolation text) => new(text.ToString());

    public override string ToString() => Text;

    /// <summary>The text between the holes of a string as it is, what goes into them escaped.</summary>
    [InterpolatedStringHandler]
    public readonly struct Interpolation(int literalLength, int formattedCount)
    {
        private readonly StringBuilder _text = new(literalLength + 16 * formattedCount);

        public void AppendLiteral(string text) => _text.Append(text);

        public void AppendFormatted(Html html) => _text.Append(html.Text);

        public void AppendFormatted(IEnumerable<Html> pieces)
        {
            foreach (var piece in pieces)
                _text.Append(piece.Text);
        }

        public void AppendFormatted(string? text) => _text.Append(WebUtility.HtmlEncode(Screen.Visible(text ?? "")));

        public void AppendFormatted(long number) => _text.Append(CultureInfo.InvariantCulture, $"{number}");

        public void AppendFormatted(double number) => _text.Append(CultureInfo.InvariantCulture, $"{number:0.##}");

        public override string ToString() => _text.ToString();
    }
}
