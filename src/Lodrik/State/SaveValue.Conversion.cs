using System.Globalization;
using System.Numerics;

namespace Lodrik.State;

public abstract partial class SaveValue
{
    /// <summary>
    /// Turns single values of one kind into another, as far as nothing is lost but digits behind those that the other sort has.
    /// </summary>
    internal static class Conversion
    {
        /// <summary>The value as another kind; null stays null.</summary>
        /// <exception cref="InvalidCastException">It does not stand for a value of that kind.</exception>
        public static SaveValue Convert(SaveValue value, SaveValueKind kind)
        {
            if (value.Kind == kind || value.Kind == SaveValueKind.Null)
                return value;
            return value is SaveScalar scalar && TryConvert(scalar, kind, out var converted)
                ? converted
                : throw new InvalidCastException($"{Quoted(value)} is not a valid {NameOf(kind)}.");
        }

        /// <summary>A kind of value in words.</summary>
        public static string NameOf(SaveValueKind kind) => kind switch
        {
            SaveValueKind.Null => "null",
            SaveValueKind.Bool => "truth value",
            SaveValueKind.Integer => "whole number",
            SaveValueKind.Single => "single-precision number",
            SaveValueKind.Double => "double-precision number",
            SaveValueKind.Decimal => "decimal number",
            SaveValueKind.Text => "text",
            SaveValueKind.Bytes => "bytes",
            SaveValueKind.List => "list",
            _ => "map",
        };

        private static string Quoted(SaveValue value) =>
            value.Kind == SaveValueKind.Text ? $"\"{Shorten.Text(value.ToString()!)}\"" : Shorten.Text(value.ToString()!);

        private static bool TryConvert(SaveScalar from, SaveValueKind kind, out SaveValue converted)
        {
            converted = SaveValue.Null;
            switch (kind)
            {
                case SaveValueKind.Bool when from.Kind == SaveValueKind.Text && bool.TryParse(from.Text, out var flag):
                    converted = flag;
                    return true;
                case SaveValueKind.Bool when from.Kind == SaveValueKind.Integer && (from.Integer.IsZero || from.Integer.IsOne):
                    converted = from.Integer.IsOne;
                    return true;
                case SaveValueKind.Integer:
                    return TryWhole(from, ref converted);
                case SaveValueKind.Single when TryDouble(from, out var wide) && (float.IsFinite((float)wide) || !double.IsFinite(wide)):
                    converted = (float)wide;
                    return true;
                case SaveValueKind.Double when TryDouble(from, out var number):
                    converted = number;
                    return true;
                case SaveValueKind.Decimal:
                    return TryDecimal(from, ref converted);
                case SaveValueKind.Text:
                    converted = from.ToString();
                    return true;
                case SaveValueKind.Bytes when from.Kind == SaveValueKind.Text:
                    var bytes = new byte[from.Text.Length];
                    var valid = System.Convert.TryFromBase64String(from.Text, bytes, out var count);
                    converted = bytes[..count];
                    return valid;
                default:
                    return false;
            }
        }

        private static bool TryWhole(SaveScalar from, ref SaveValue converted)
        {
            BigInteger? whole = from.Kind switch
            {
                SaveValueKind.Bool => from.Bool ? 1 : 0,
                SaveValueKind.Single when float.IsInteger(from.Single) => new BigInteger(from.Single),
                SaveValueKind.Double when double.IsInteger(from.Double) => new BigInteger(from.Double),
                SaveValueKind.Decimal when decimal.IsInteger(from.Decimal) => new BigInteger(from.Decimal),
                SaveValueKind.Text when from.Text.Length <= 1000
                    && BigInteger.TryParse(from.Text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number) =>
                    number,
                _ => null,
            };
            converted = whole is { } found ? found : SaveValue.Null;
            return whole is not null;
        }

        private static bool TryDouble(SaveScalar from, out double number)
        {
            number = from.Kind switch
            {
                SaveValueKind.Bool => from.Bool ? 1 : 0,
                SaveValueKind.Integer => (double)from.Integer,
                SaveValueKind.Single => from.Single,
                SaveValueKind.Double => from.Double,
                SaveValueKind.Decimal => (double)from.Decimal,
                _ => 0,
            };
            if (from.Kind == SaveValueKind.Text
                && !double.TryParse(from.Text, NumberStyles.Float, CultureInfo.InvariantCulture, out number))
                return false;
            // What a double has no room for is not infinite.
            return from.Kind != SaveValueKind.Bytes
                && (!double.IsInfinity(number) || from.Kind is SaveValueKind.Single or SaveValueKind.Double
                || from.Kind == SaveValueKind.Text && NumberText.IsFloatWord(from.Text));
        }

        private static bool TryDecimal(SaveScalar from, ref SaveValue converted)
        {
            try
            {
                decimal? number = from.Kind switch
                {
                    SaveValueKind.Integer => (decimal)from.Integer,
                    SaveValueKind.Single => (decimal)from.Single,
                    SaveValueKind.Double => (decimal)from.Double,
                    SaveValueKind.Text when decimal.TryParse(from.Text, NumberStyles.Float, CultureInfo.InvariantCulture, out var parsed) =>
                        parsed,
                    _ => null,
                };
                converted = number is { } found ? found : SaveValue.Null;
                return number is not null;
            }
            catch (OverflowException)
            {
                return false;
            }
        }
    }
}
