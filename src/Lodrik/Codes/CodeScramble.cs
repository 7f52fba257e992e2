using System.Buffers.Binary;
using System.Numerics;
using System.Security.Cryptography;
using System.Text;

namespace Lodrik.Codes;

/// <summary>
/// Puts the numbers below a bound into another order, in which neighbours look unrelated: a Feistel network of eight rounds of HMAC-SHA256
/// over a rectangle that is hardly larger than the bound; what falls outside is sent through again.
/// </summary>
/// <remarks>It hides the structure of a state from the eye. It is not an encryption to be relied on, and nothing here is.</remarks>
internal sealed class CodeScramble(byte[] key, string name)
{
    private const int Rounds = 8;

    public BigInteger Forth(BigInteger value, BigInteger bound, int version, int variant) =>
        Walk(value, bound, version, variant, forth: true);

    public BigInteger Back(BigInteger value, BigInteger bound, int version, int variant) =>
        Walk(value, bound, version, variant, forth: false);

    private BigInteger Walk(BigInteger value, BigInteger bound, int version, int variant, bool forth)
    {
        if (bound <= BigInteger.One)
            return value;
        var width = Root(bound);
        var height = (bound + width - 1) / width;
        var tweak = Encoding.UTF8.GetBytes($"{name}\0{version}\0{variant}\0{bound}\0");
        do
        {
            var (left, right) = (value % width, value / width);
            for (var i = 0; i < Rounds; i++)
            {
                var round = forth ? i : Rounds - 1 - i;
                if (round % 2 == 0)
                    left = Turn(left, Mixed(tweak, round, right, width), width, forth);
                else
                    right = Turn(right, Mixed(tweak, round, left, height), height, forth);
            }
            value = left + (right * width);
        }
        while (value >= bound);
        return value;
    }

    private static BigInteger Turn(BigInteger value, BigInteger by, BigInteger within, bool forth)
    {
        var turned = (forth ? value + by : value - by) % within;
        return turned.Sign < 0 ? turned + within : turned;
    }

    private BigInteger Mixed(byte[] tweak, int round, BigInteger half, BigInteger within)
    {
        // 128 bits more than are needed, so that no number comes out more often than another.
        var needed = ((int)within.GetBitLength() + 128 + 255) / 256;
        var length = tweak.Length + 5 + half.GetByteCount(isUnsigned: true);
        var message = length <= 256 ? stackalloc byte[length] : new byte[length];
        tweak.CopyTo(message);
        message[tweak.Length] = (byte)round;
        half.TryWriteBytes(message[(tweak.Length + 5)..], out _, isUnsigned: true, isBigEndian: true);
        var mixed = new byte[needed * HMACSHA256.HashSizeInBytes];
        for (var part = 0; part < needed; part++)
        {
            BinaryPrimitives.WriteInt32BigEndian(message[(tweak.Length + 1)..], part);
            HMACSHA256.HashData(key, message, mixed.AsSpan(part * HMACSHA256.HashSizeInBytes));
        }
        return new BigInteger(mixed, isUnsigned: true, isBigEndian: true) % within;
    }

    /// <summary>The smallest number whose square is not below this one.</summary>
    private static BigInteger Root(BigInteger square)
    {
        var root = BigInteger.One << (int)((square.GetBitLength() + 1) / 2);
        while (true)
        {
            var next = (root + (square / root)) >> 1;
            if (next >= root)
                return root * root < square ? root + 1 : root;
            root = next;
        }
    }
}
